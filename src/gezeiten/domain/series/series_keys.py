"""What names a series at a point: its channel, with a label where several measure the same.

"air_temperature" is the main series of that channel, "air_temperature@upper shelf" a second one;
"dew_point@=" is calculated from others, "dew_point@=by the wall" another one that is.
"""

from __future__ import annotations

from gezeiten.errors import InputError

MAIN = ""
"""Label of the main series of a channel."""
MOST_SIGNS = 60
"""Of a label."""
_MARK, _CALCULATED = "@", "="


def series_key(channel: str, label: str = MAIN) -> str:
    """Return the key of a channel's measured series of a label."""
    label = label.lstrip(_CALCULATED)  # whatever a source is called, it is none that is calculated
    return f"{channel}{_MARK}{label}" if label else channel


def derived_key(channel: str, label: str = MAIN) -> str:
    """Return the key of a series that is calculated from others."""
    return f"{channel}{_MARK}{_CALCULATED}{label}"


def as_label(typed: str) -> str:
    """Return a label as it is kept: without blanks around it, single ones within.

    Raises:
        InputError: it is none that a series can have.
    """
    label = " ".join(typed.split())
    if _MARK in label or label.startswith(_CALCULATED) or len(label) > MOST_SIGNS:
        raise InputError(
            f"A label has up to {MOST_SIGNS} characters, no “{_MARK}”, and begins "
            f"with no “{_CALCULATED}”; choose another one."
        )
    return label


def channel_of(key: str) -> str:
    """Return the channel of a series."""
    return key.partition(_MARK)[0]


def own_label(key: str) -> str:
    """Return the label of a measured series as it is kept, `MAIN` of the main one."""
    return key.partition(_MARK)[2]


def is_derived(key: str) -> bool:
    """Whether a series is calculated from others."""
    return key.partition(_MARK)[2].startswith(_CALCULATED)


def label_of(key: str) -> str:
    """Return the label of a series, "" of a main one; of one that is calculated it says so."""
    label = key.partition(_MARK)[2]
    if not is_derived(key):
        return label
    return ", ".join(part for part in (label.removeprefix(_CALCULATED), "calculated") if part)
