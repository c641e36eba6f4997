"""Sign, colour and word of each side of a limit."""

from __future__ import annotations

from gezeiten.ui.format.i18n import tr

RULE_SIGNS = {"above": ("▲", "ember"), "below": ("▼", "plum"), "absent": ("⊘", "brass")}


def side_text(side: str) -> str:
    """Return the side of a rule in a word."""
    return {"above": tr("above"), "below": tr("below"), "absent": tr("no sensor")}[side]
