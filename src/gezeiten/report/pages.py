"""Pages of a PDF as pictures and as text: what a document that was written really holds."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pypdfium2
from numpy.typing import NDArray

from gezeiten.errors import SurroundingsError


@dataclass(frozen=True, slots=True)
class PagePicture:
    """One page, uint8 (height, width, 3), red, green, blue; of: how many the document has."""

    number: int
    of: int
    pixels: NDArray[np.uint8]


def page_pictures(path: Path, width: int, most: int = 12) -> list[PagePicture]:
    """Return the first pages of a PDF, `width` pixels wide.

    Raises:
        SurroundingsError: the file is gone or is no PDF.
    """
    document = _opened(path)
    try:
        pictures = []
        for i in range(min(len(document), most)):
            page = document[i]
            bitmap = page.render(scale=width / page.get_width(), rev_byteorder=True)
            pictures.append(PagePicture(i + 1, len(document), bitmap.to_numpy().copy()[:, :, :3]))
            bitmap.close()
            page.close()
        return pictures
    finally:
        document.close()


def pages_text(path: Path) -> list[str]:
    """Return the text of each page of a PDF.

    Raises:
        SurroundingsError: the file is gone or is no PDF.
    """
    document = _opened(path)
    try:
        texts = []
        for i in range(len(document)):
            page = document[i]
            text = page.get_textpage()
            texts.append(text.get_text_range())
            text.close()
            page.close()
        return texts
    finally:
        document.close()


def _opened(path: Path) -> pypdfium2.PdfDocument:
    try:
        return pypdfium2.PdfDocument(path)
    except (pypdfium2.PdfiumError, OSError) as exc:
        raise SurroundingsError(
            f"{path.name} cannot be shown; it is missing or not a PDF."
        ) from exc
