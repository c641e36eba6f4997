"""How many examples a property is tried with: few in `make test`, many in `make hunt`."""

from __future__ import annotations

import os

HUNTS = "GEZEITEN_HUNT" in os.environ


def examples(short: int, long: int) -> int:
    """Return the number for `make test`, or the one for `make hunt`."""
    return long if HUNTS else short
