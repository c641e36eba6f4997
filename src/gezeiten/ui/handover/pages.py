"""The real pages of a chosen document (or the first lines of a CSV), one under the other."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QLabel, QScrollArea, QVBoxLayout, QWidget

from gezeiten.desk.office.issuing import document_lines, document_pages
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.widgets import clear, label
from gezeiten.ui.shell.app_context import AppContext

if TYPE_CHECKING:  # the library behind it is loaded when a document is shown
    from gezeiten.report.pages import PagePicture

_Shown = TypeVar("_Shown")
PAGE_WIDTH = 520
LINES_SHOWN = 60


class PageView(QScrollArea):
    """Shows one document; loading runs off the main thread and the latest wish wins."""

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._wanted: Path | None = None
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setSpacing(10)
        self.setWidget(inside)
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setAccessibleName(tr("Pages of the selected document"))

    def show_document(self, path: Path | None, kind: str) -> None:
        """Show a document by its file; None shows nothing. kind: "pdf" or "csv"."""
        if path == self._wanted:
            return
        self._wanted = path
        clear(self._column)
        if path is None:
            return

        def into_sight(add: Callable[[_Shown], None]) -> Callable[[_Shown], None]:
            """Show what came, unless another document was chosen meanwhile."""

            def show(shown: _Shown) -> None:
                if path == self._wanted:
                    clear(self._column)  # it may have been wished for twice
                    add(shown)
                    self._column.addStretch(1)

            return show

        failed = into_sight(self._add_text)
        if kind == "pdf":
            wide = round(PAGE_WIDTH * self.devicePixelRatioF())
            show_pages = into_sight(self._add_pages)
            self._context.run(lambda _task: document_pages(path, wide), show_pages, failed=failed)
        else:
            show_lines = into_sight(self._add_lines)
            self._context.run(
                lambda _task: document_lines(path, LINES_SHOWN), show_lines, failed=failed
            )

    def _add_pages(self, pages: list[PagePicture]) -> None:
        for page in pages:
            sheet = QLabel()
            sheet.setPixmap(_pixmap(page, self.devicePixelRatioF()))
            sheet.setStyleSheet("border: 1px solid palette(placeholder-text);")
            sheet.setAccessibleName(tr("Page %1").replace("%1", str(page.number)))
            self._column.addWidget(sheet, 0, Qt.AlignmentFlag.AlignHCenter)
        more = pages[-1].of - pages[-1].number if pages else 0
        if more:
            words = counted(
                more,
                "%n more page: open the file to see it.",
                "%n more pages: open the file to see them.",
            )
            self._column.addWidget(label(words, "muted"), 0, Qt.AlignmentFlag.AlignHCenter)

    def _add_lines(self, text: str) -> None:
        lines = label(text)
        lines.setStyleSheet("font-family: monospace;")
        lines.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._column.addWidget(lines)
        if text.count("\n") >= LINES_SHOWN:
            self._add_text(tr("These are the first lines; open the file to see all of it."))

    def _add_text(self, words: str) -> None:
        self._column.addWidget(label(words, "muted", wrap=True))


def _pixmap(page: PagePicture, ratio: float) -> QPixmap:
    pixels = np.ascontiguousarray(page.pixels)
    height, width, _ = pixels.shape
    image = QImage(pixels.data, width, height, 3 * width, QImage.Format.Format_RGB888)
    picture = QPixmap.fromImage(image.copy())  # the copy outlives the array
    picture.setDevicePixelRatio(ratio)
    return picture
