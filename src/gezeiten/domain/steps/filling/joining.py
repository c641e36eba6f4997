"""Joining a model to the readings at both ends of a gap.

Source: docs/calculations.md, "Fills", joining: what is left at an end fades away into the gap.
"""

from __future__ import annotations

import numpy as np

from gezeiten.domain.series.timeline import Values

FADES = (64.0, 16.0, 4.0, 0.0)
"""Gap lengths over which what is left at an end fades: 1/64, 1/16, 1/4, and a straight line."""


def faded(left: float, right: float, shares: Values, fade: float) -> Values:
    """Return what is added to a model so that it meets both ends.

    Args:
        left, right: what is left at either end; shares: how far into the gap, 0 to 1, (n,); fade:
            one of `FADES`.
    """
    return left * _weight(shares, fade) + right * _weight(1 - shares, fade)


def _weight(shares: Values, fade: float) -> Values:
    """sinh(fade (1 - share)) / sinh(fade), a straight line for 0."""
    if fade == 0:
        return 1 - shares
    found: Values = (np.exp(-fade * shares) - np.exp(-fade * (2 - shares))) / (
        1 - np.exp(-2 * fade)
    )
    return found
