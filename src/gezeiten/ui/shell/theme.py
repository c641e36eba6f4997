"""The three looks: Light, Dark, and Sun (black on white, thicker lines) for outdoors.

Text contrast is at least 4.5:1 in each; tests/ui/test_parts.py measures it.
"""

from __future__ import annotations

import shutil
import tempfile
import weakref
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPalette, QPen, QPixmap
from PySide6.QtWidgets import QApplication


@dataclass(frozen=True, slots=True)
class Theme:
    """Colours by what they mean, as #rrggbb; line_width: factor of drawn lines. lines: of curves
    beside each other, as far apart in brightness as there is room; none is that of a limit."""

    name: str
    ground: str
    paper: str
    ink: str
    muted: str
    line: str
    tide: str
    tide_pale: str
    tide_wash: str
    on_tide: str
    brass: str
    ember: str
    plum: str
    kelp: str
    lines: tuple[str, ...]
    line_width: float = 1.0
    row: int = 30

    def color(self, name: str, alpha: int = 255) -> QColor:
        """Return one of the colours as a QColor."""
        color = QColor(getattr(self, name))
        color.setAlpha(alpha)
        return color


LIGHT = Theme(
    "light",
    "#F4F1EA",
    "#FFFEFB",
    "#14272E",
    "#56666C",
    "#DAD5C8",
    "#0E5A66",
    "#BFDAD9",
    "#E3EFEC",
    "#FFFEFB",
    "#8A6000",
    "#B23A1E",
    "#6A3A86",
    "#2C7551",
    ("#0E5A66", "#2C69E1", "#986A00", "#588F30", "#16272F"),
)
DARK = Theme(
    "dark",
    "#0F1B20",
    "#16252B",
    "#E9EEEC",
    "#9FB0B4",
    "#2E4047",
    "#6FC1C4",
    "#2F5C63",
    "#1E3A40",
    "#0B1518",
    "#D9A83E",
    "#F08A6C",
    "#C79BE0",
    "#7CCBA2",
    ("#6FC1C4", "#83A8FF", "#E7BB54", "#9ED38C", "#E9EEEC"),
)
SUN = Theme(
    "sun",
    "#FFFFFF",
    "#FFFFFF",
    "#000000",
    "#2B2B2B",
    "#5A5A5A",
    "#00323B",
    "#9FC7C8",
    "#DCEBEA",
    "#FFFFFF",
    "#5C3F00",
    "#8E1B00",
    "#43105F",
    "#00452A",
    ("#000000", "#042793", "#704700", "#0D7730", "#0089A4"),
    line_width=1.8,
    row=36,
)
THEMES = {theme.name: theme for theme in (LIGHT, DARK, SUN)}


def base_font(percent: int) -> QFont:
    """Return the interface font: Inter where installed, else the system's; tabular digits."""
    families = set(QFontDatabase.families())
    family = next((name for name in ("Inter", "Noto Sans", "DejaVu Sans") if name in families), "")
    font = QFont(family) if family else QApplication.font()
    font.setPixelSize(round(13 * percent / 100))
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


def palette(theme: Theme) -> QPalette:
    """Return the palette for what the style itself draws: ticks, arrows, frames."""
    made = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.ground,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.Base: theme.paper,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.Button: theme.paper,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Highlight: theme.tide,
        QPalette.ColorRole.HighlightedText: theme.on_tide,
        QPalette.ColorRole.PlaceholderText: theme.muted,
        QPalette.ColorRole.ToolTipBase: theme.ink,
        QPalette.ColorRole.ToolTipText: theme.paper,
    }
    for role, color in roles.items():
        made.setColor(role, QColor(color))
    return made


def signs_folder(owner: object) -> Path:
    """Return a new folder for the signs of a window; it goes with the window, or when the program
    ends."""
    folder = tempfile.mkdtemp(prefix="gezeiten-signs-")
    weakref.finalize(owner, shutil.rmtree, folder, ignore_errors=True)
    return Path(folder)


def draw_signs(theme: Theme, folder: Path) -> None:
    """Draw the tick, dot and arrow that the stylesheet names, in the theme's colours."""
    shapes = {
        "tick": (theme.on_tide, [(3, 8), (7, 12), (13, 4)]),
        "arrow": (theme.muted, [(3, 6), (8, 11), (13, 6)]),
    }
    for name, (color, points) in shapes.items():
        picture = QPixmap(16, 16)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(color), 2.2))
        painter.drawPolyline([QPointF(x, y) for x, y in points])
        painter.end()
        picture.save(str(folder / f"{name}-{theme.name}.png"))


TARGET_PX = {"light": 32, "dark": 32, "sun": 44}
"""The least height of what is pressed: cold hands, and gloves outdoors."""


def stylesheet(theme: Theme, percent: int, signs: Path) -> str:
    """Return the style of all standard widgets; signs: the folder of `draw_signs`."""
    t = theme
    px = round(13 * percent / 100)
    small, head = round(px * 0.9), round(px * 1.05)
    tick, arrow = (signs / f"{name}-{t.name}.png" for name in ("tick", "arrow"))
    pad = 6 if t.name != "sun" else 9
    target = TARGET_PX[t.name]
    return f"""
    QWidget {{ color: {t.ink}; font-family: "{base_font(percent).family()}"; font-size: {px}px; }}
    QMainWindow, QWidget#ground {{ background: {t.ground}; }}
    QWidget#paper, QScrollArea, QScrollArea > QWidget > QWidget {{ background: {t.paper}; }}
    QFrame#card {{ background: {t.paper}; border: 1px solid {t.line}; border-radius: 8px; }}
    QFrame#rule {{ background: {t.line}; border: none; max-height: 1px; }}
    QLabel {{ background: transparent; }}
    QLabel[role="head"] {{ font-weight: 600; font-size: {head}px; }}
    QLabel[role="muted"] {{ color: {t.muted}; font-size: {small}px; }}
    QLabel[role="big"] {{ font-weight: 600; font-size: {round(px * 1.3)}px; }}
    QLabel[role="ember"] {{ color: {t.ember}; font-weight: 600; }}
    QLabel[role="alarm"] {{ background: {t.ember}; color: {t.on_tide}; font-weight: 700;
        border-radius: 4px; }}
    QLabel[role="brass"] {{ color: {t.brass}; font-weight: 600; }}
    QLabel[role="kelp"] {{ color: {t.kelp}; }}
    QPushButton {{ background: {t.paper}; border: 1px solid {t.line}; border-radius: 6px;
        padding: {pad}px 12px; font-weight: 600; min-height: {target - 2 * pad - 2}px; }}
    QPushButton:hover {{ border-color: {t.tide}; }}
    QPushButton:focus {{ border: 2px solid {t.tide}; padding: {pad - 1}px 11px; }}
    QPushButton:checked {{ background: {t.tide_pale}; border-color: {t.tide}; }}
    QPushButton:disabled {{ color: {t.muted}; border-style: dashed; }}
    QPushButton[role="primary"] {{ background: {t.tide}; color: {t.on_tide};
        border: 2px solid {t.tide}; padding: {pad + 3}px 16px; }}
    QPushButton[role="primary"]:focus {{ border: 2px solid {t.ink}; }}
    QPushButton[role="primary"]:disabled {{ background: {t.ground}; color: {t.muted};
        border: 2px dashed {t.line}; }}
    QPushButton[role="link"] {{ border: none; background: transparent; padding: 2px 5px;
        min-height: {target - 4}px;
        font-weight: 400; text-align: left; color: {t.muted}; }}
    QPushButton[role="link"]:checked {{ color: {t.tide}; font-weight: 700; }}
    QPushButton[role="link"]:hover {{ color: {t.tide}; }}
    QPushButton[role="link"]:focus {{ border: 1px solid {t.tide}; padding: 1px 4px; }}
    QPushButton[role="row"] {{ text-align: left; font-weight: 400; }}
    QLineEdit, QComboBox, QPlainTextEdit {{ background: {t.paper}; border: 1px solid {t.line};
        border-radius: 6px; padding: {pad - 1}px 8px; min-height: {target - 2 * pad}px;
        selection-background-color: {t.tide}; selection-color: {t.on_tide}; }}
    QLineEdit:focus, QComboBox:focus,
        QPlainTextEdit:focus {{ border: 2px solid {t.tide}; padding: {pad - 2}px 7px; }}
    QSpinBox {{ background: {t.paper}; min-height: {target - 4}px; }}
    QSpinBox QLineEdit, QSpinBox QLineEdit:focus {{ border: none; padding: 0 8px; min-height: 0; }}
    QLineEdit[wrong="true"], QComboBox[wrong="true"] {{
        border: 2px solid {t.ember}; }}
    QLineEdit:disabled, QComboBox:disabled {{ color: {t.muted}; border-style: dashed; }}
    QComboBox QAbstractItemView {{ background: {t.paper}; color: {t.ink};
        selection-background-color: {t.tide_wash}; selection-color: {t.ink}; }}
    QListWidget, QTreeWidget, QTableView {{ background: {t.paper}; border: none;
        alternate-background-color: {t.ground}; outline: none; }}
    QTreeWidget::item, QListWidget::item {{ min-height: {t.row - 6}px; padding: 1px 2px; }}
    QTreeWidget[ticks="true"]::item, QListWidget[ticks="true"]::item {{
        min-height: {target + 1}px; }}
    QListWidget::item:selected, QTreeWidget::item:selected, QTableView::item:selected {{
        background: {t.tide_wash}; color: {t.ink}; }}
    QHeaderView {{ background: {t.paper}; border: none; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.muted}; border: none;
        border-bottom: 1px solid {t.line}; padding: 4px 6px; font-size: {small}px; }}
    QTableCornerButton::section {{ background: {t.paper}; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 4px; min-height: 24px;
        min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QSlider::groove:horizontal {{ height: 4px; background: {t.line}; border-radius: 2px; }}
    QSlider::sub-page:horizontal {{ background: {t.tide}; border-radius: 2px; }}
    QSlider::handle:horizontal {{ background: {t.tide}; width: 18px; margin: -7px 0;
        border-radius: 9px; border: 2px solid {t.paper}; }}
    QSlider::handle:horizontal:focus {{ border: 2px solid {t.ink}; }}
    QProgressBar {{ background: {t.line}; border: none; border-radius: 3px; max-height: 7px; }}
    QProgressBar::chunk {{ background: {t.tide}; border-radius: 3px; }}
    QToolTip {{ background: {t.ink}; color: {t.paper}; border: none; padding: 4px; }}
    QCheckBox, QRadioButton {{ spacing: 6px; background: transparent;
        min-height: {target}px; }}
    QCheckBox::indicator, QRadioButton::indicator {{ width: 15px; height: 15px;
        border: 1.5px solid {t.muted}; background: {t.paper}; }}
    QCheckBox::indicator {{ border-radius: 3px; }}
    QRadioButton::indicator {{ border-radius: 8px; }}
    QCheckBox::indicator:checked, QTreeView::indicator:checked, QListView::indicator:checked,
        QTableView::indicator:checked {{
        background: {t.tide}; border-color: {t.tide}; image: url({tick}); }}
    QTreeView::indicator, QListView::indicator, QTableView::indicator {{ width: 15px;
        height: 15px; margin: {(target - 17) // 2 + 1}px; margin-left: 4px;
        margin-right: {target - 21}px; border: 1.5px solid {t.muted};
        border-radius: 3px; background: {t.paper}; }}
    QRadioButton::indicator:checked {{ background: qradialgradient(cx:0.5, cy:0.5, radius:0.5,
        fx:0.5, fy:0.5, stop:0 {t.tide}, stop:0.55 {t.tide}, stop:0.6 {t.paper},
        stop:1 {t.paper}); border-color: {t.tide}; }}
    QCheckBox::indicator:disabled, QRadioButton::indicator:disabled {{ border-style: dashed; }}
    QComboBox::drop-down {{ border: none; width: 24px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 14px;
        height: 14px; }}
    QCheckBox:focus, QRadioButton:focus {{ color: {t.tide}; }}
    QDialog {{ background: {t.paper}; border: 1px solid {t.muted}; }}
    """
