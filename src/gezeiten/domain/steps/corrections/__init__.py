"""The kinds of corrections in the chain of a series: one module a family, all listed here."""

from __future__ import annotations

from gezeiten.domain.steps.corrections.calibration import LINEAR, POINTS
from gezeiten.domain.steps.corrections.kind import CorrectionKind, Order
from gezeiten.domain.steps.corrections.marks import MARK, TRIM
from gezeiten.domain.steps.corrections.reference import TIE

__all__ = ["CORRECTIONS", "LINEAR", "MARK", "POINTS", "TIE", "TRIM", "CorrectionKind", "Order"]

CORRECTIONS: dict[tuple[str, int], CorrectionKind] = {
    (one.key, one.version): one for one in (TRIM, LINEAR, POINTS, TIE, MARK)
}
"""All of them, older versions too, by key and version."""
