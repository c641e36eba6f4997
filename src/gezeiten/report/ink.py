"""Fonts and colours that all our documents share."""

from __future__ import annotations

from pathlib import Path

import reportlab
from reportlab.lib.colors import HexColor
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

INK, MUTED, RULE = HexColor("#14272E"), HexColor("#5C6C72"), HexColor("#DAD5C8")
TIDE, EMBER, PLUM = HexColor("#0E5A66"), HexColor("#B23A1E"), HexColor("#6A3A86")
BRASS, GROUND = HexColor("#8A6000"), HexColor("#F4F1EA")
PALE = HexColor("#E3EFEC")
_WIDE_FONTS = Path("/usr/share/fonts/truetype/dejavu")


def fonts() -> tuple[str, str]:
    """Register fonts once: DejaVu where installed (more scripts), else those of the library."""
    if "GzRegular" not in pdfmetrics.getRegisteredFontNames():
        own = Path(reportlab.__file__).parent / "fonts"
        wide = (_WIDE_FONTS / "DejaVuSans.ttf", _WIDE_FONTS / "DejaVuSans-Bold.ttf")
        regular, bold = (
            wide if all(p.exists() for p in wide) else (own / "Vera.ttf", own / "VeraBd.ttf")
        )
        pdfmetrics.registerFont(TTFont("GzRegular", str(regular)))
        pdfmetrics.registerFont(TTFont("GzBold", str(bold)))
    return "GzRegular", "GzBold"
