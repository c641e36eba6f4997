"""What eyes and hands would complain about in a window: text cut off without a way to read it,
targets too small to hit, text too pale, the window too large for its screen."""

from __future__ import annotations

import re

import numpy as np
from PySide6.QtCore import QAbstractItemModel, QAbstractListModel, QModelIndex, QRect, Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QScrollArea,
    QStyle,
    QStyleOptionViewItem,
    QWidget,
)

from gezeiten.ui.texts.marked_view import MarkedView

LEAST_TARGET_PX = {"light": 32, "dark": 32, "sun": 44}
LEAST_CONTRAST = 4.5


def shown_text(widget: QWidget) -> str:
    if isinstance(widget, QAbstractButton | QLabel):
        return widget.text().replace("&", "")
    return ""


def is_in_sight(widget: QWidget) -> bool:
    return widget.isVisible() and not widget.visibleRegion().isEmpty()


def cut_text(top: QWidget) -> list[str]:
    """Return the texts of labels and buttons that have less room than they need, and no tip."""
    found = []
    for widget in [*top.findChildren(QLabel), *top.findChildren(QAbstractButton)]:
        text = shown_text(widget)
        if not text or not is_in_sight(widget) or widget.toolTip():
            continue
        if isinstance(widget, QLabel) and widget.textFormat() == Qt.TextFormat.RichText:
            continue
        if isinstance(widget, QLabel) and widget.wordWrap():
            needs = widget.heightForWidth(widget.width()) > widget.height() + 1
        else:
            metrics = widget.fontMetrics()
            widest = max(metrics.horizontalAdvance(line) for line in text.split("\n"))
            needs = widest > widget.width() + 1
        if needs:
            found.append(f"{type(widget).__name__} “{text[:50]}” {widget.size().toTuple()}")
    return found


def small_targets(top: QWidget, theme: str) -> list[str]:
    """Return what can be pressed and is lower than a finger wants."""
    least = LEAST_TARGET_PX[theme]
    kinds = (QPushButton, QCheckBox, QRadioButton, QComboBox, QLineEdit)
    found = []
    for kind in kinds:
        for widget in top.findChildren(kind):
            inside = isinstance(widget.parent(), QComboBox) or "spinbox" in widget.objectName()
            if is_in_sight(widget) and not inside and widget.height() < least:
                name = shown_text(widget) or widget.accessibleName()
                found.append(f"{type(widget).__name__} “{name[:40]}” {widget.height()} px")
    return found


def small_ticks(top: QWidget, theme: str) -> list[str]:
    """Return the tick boxes inside lists, trees and tables that are smaller than a finger wants."""
    least, found = LEAST_TARGET_PX[theme], []
    for view in top.findChildren(QAbstractItemView):
        if not is_in_sight(view) or view.model() is None:
            continue
        for index in _ticks(view.model(), view.rootIndex()):
            option = QStyleOptionViewItem()
            view.initViewItemOption(option)
            option.features |= QStyleOptionViewItem.ViewItemFeature.HasCheckIndicator
            option.rect = view.visualRect(index)
            part = QStyle.SubElement.SE_ItemViewItemCheckIndicator
            box = view.style().subElementRect(part, option, view).intersected(option.rect)
            if option.rect.isValid() and min(box.width(), box.height()) < least:
                found.append(f"tick of “{index.data()}” {box.size().toTuple()}")
    return found


def _ticks(model: QAbstractItemModel, under: QModelIndex) -> list[QModelIndex]:
    found = []
    for row in range(model.rowCount(under)):
        index = model.index(row, 0, under)
        if index.data(Qt.ItemDataRole.CheckStateRole) is not None:
            found.append(index)
        found += _ticks(model, index)
    return found


INSTANT = re.compile(r"\b[0-9]{1,2}:[0-9]{2}\b")
ZONE = re.compile(r"Europe/Berlin|\bUTC\b")


def zone_unsaid(top: QWidget) -> list[str]:
    """Return texts with a time of day where nothing in sight says in which zone it is."""
    texts = [shown_text(widget) for widget in top.findChildren(QWidget) if is_in_sight(widget)]
    for view in top.findChildren(QAbstractItemView):
        if isinstance(view, MarkedView) or isinstance(view.parent(), MarkedView):
            continue  # a file's own words: their zone is asked beside it
        if is_in_sight(view) and view.model() is not None:
            texts += _texts(view.model(), view.rootIndex())
    if any(ZONE.search(text) for text in texts):
        return []
    return [text[:60] for text in texts if INSTANT.search(text)][:3]


def _texts(model: QAbstractItemModel, under: QModelIndex) -> list[str]:
    is_list = isinstance(model, QAbstractListModel)  # its columnCount is private
    across = range(1 if is_list else model.columnCount(under))
    found = [str(model.headerData(c, Qt.Orientation.Horizontal) or "") for c in across]
    for row in range(min(model.rowCount(under), 50)):
        found += [str(model.index(row, c, under).data() or "") for c in across]
        first = model.index(row, 0, under)
        if across and not is_list and model.rowCount(first):
            found += _texts(model, first)
    return found


def beyond_edge(top: QWidget) -> list[str]:
    """Return what reaches over the right or lower edge of the window without a way to scroll."""
    whole = top.rect()
    found = []
    for widget in top.findChildren(QWidget):
        if not widget.isVisible() or not shown_text(widget):
            continue
        if any(isinstance(p, QScrollArea) for p in _parents(widget)):
            continue
        area = QRect(widget.mapTo(top, widget.rect().topLeft()), widget.size())
        if area.right() > whole.right() + 1 or area.bottom() > whole.bottom() + 1:
            found.append(f"{type(widget).__name__} “{shown_text(widget)[:40]}” at {area.getRect()}")
    return found


def _parents(widget: QWidget) -> list[QWidget]:
    found = []
    parent = widget.parentWidget()
    while parent is not None:
        found.append(parent)
        parent = parent.parentWidget()
    return found


def luminance(color: QColor) -> float:
    """Relative luminance of a colour. Source: WCAG 2.2, "relative luminance"."""
    parts = [
        part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4
        for part in (color.redF(), color.greenF(), color.blueF())
    ]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(one: QColor, other: QColor) -> float:
    """Contrast ratio of two colours, 1 to 21. Source: WCAG 2.2, "contrast ratio"."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def shades(top: QWidget) -> int:
    """Return how many shades of grey a coarse look at a window finds."""
    grey = top.grab().toImage().convertToFormat(QImage.Format.Format_Grayscale8)
    shown = np.frombuffer(grey.constBits(), np.uint8).reshape(grey.height(), -1)
    return len(np.unique(shown[60::31, ::37]))


def pale_text(top: QWidget) -> list[str]:
    """Return labels and buttons whose darkest and lightest pixel are too alike to be read."""
    picture = top.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)  # B, G, R, -
    found = []
    for widget in [*top.findChildren(QLabel), *top.findChildren(QPushButton)]:
        text = shown_text(widget).strip()
        if len(text) < 3 or not widget.isVisible() or not widget.isEnabled():
            continue
        if widget.visibleRegion().boundingRect().size() != widget.size():
            continue  # partly scrolled away: its letters may be those out of sight
        area = QRect(widget.mapTo(top, widget.rect().topLeft()), widget.size())
        best = _strongest(picture, area.intersected(picture.rect()).adjusted(3, 3, -3, -3))
        if best < LEAST_CONTRAST - 0.3:  # anti-aliased strokes may not reach their full colour
            found.append(f"{type(widget).__name__} “{text[:40]}” {best:.1f}")
    return found


def _strongest(picture: QImage, area: QRect) -> float:
    if area.width() < 4 or area.height() < 4:
        return 21.0
    of_four = np.frombuffer(picture.constBits(), np.uint8).reshape(picture.height(), -1, 4)
    step = max(area.width() // 120, 1)
    shown = of_four[area.top() : area.bottom(), area.left() : area.right() : step]
    shades = SHADES[0][shown[..., 2]] + SHADES[1][shown[..., 1]] + SHADES[2][shown[..., 0]]
    return float((shades.max() + 0.05) / (shades.min() + 0.05))


SHADES = [
    np.array(
        [luminance(QColor(*(level if part == i else 0 for i in range(3)))) for level in range(256)]
    )
    for part in range(3)
]
"""What each level of red, of green and of blue adds to a luminance."""
