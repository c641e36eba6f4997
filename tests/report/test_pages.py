"""Pages as pictures: what was drawn is seen; what is no PDF is said."""

from __future__ import annotations

from pathlib import Path

import pytest
from reportlab.pdfgen.canvas import Canvas

from gezeiten.errors import SurroundingsError
from gezeiten.report.pages import page_pictures


def test_what_was_drawn_is_seen_in_its_colour(tmp_path: Path) -> None:
    canvas = Canvas(str(tmp_path / "a.pdf"), pagesize=(200, 100))
    canvas.setFillColorRGB(1, 0, 0)
    canvas.rect(0, 0, 100, 100, stroke=0, fill=1)
    canvas.showPage()
    canvas.showPage()
    canvas.save()
    first, second = page_pictures(tmp_path / "a.pdf", 400)
    assert first.pixels.shape == (200, 400, 3)
    assert first.pixels[100, 50].tolist() == [255, 0, 0]  # red, not blue
    assert first.pixels[100, 350].tolist() == [255, 255, 255]
    assert (second.number, second.pixels.min()) == (2, 255)


def test_long_documents_show_their_first_pages(tmp_path: Path) -> None:
    canvas = Canvas(str(tmp_path / "a.pdf"))
    for _ in range(20):
        canvas.showPage()
    canvas.save()
    assert len(page_pictures(tmp_path / "a.pdf", 100, most=5)) == 5


@pytest.mark.parametrize("content", [b"", b"no pdf at all", b"%PDF-1.4 cut off"])
def test_what_is_no_pdf_is_said(tmp_path: Path, content: bytes) -> None:
    (tmp_path / "a.pdf").write_bytes(content)
    with pytest.raises(SurroundingsError, match=r"a\.pdf cannot be shown"):
        page_pictures(tmp_path / "a.pdf", 100)


def test_what_is_gone_is_said(tmp_path: Path) -> None:
    with pytest.raises(SurroundingsError, match="it is missing or not a PDF"):
        page_pictures(tmp_path / "none.pdf", 100)
