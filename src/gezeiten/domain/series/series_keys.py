"""What names a series at a point: its channel, with a label where several measure the same.

"air_temperature" is the main series of that channel, "air_temperature@upper shelf" a second one.
"""

from __future__ import annotations

MAIN = ""
"""Label of the main series of a channel."""
_MARK = "@"


def series_key(channel: str, label: str = MAIN) -> str:
    """Return the key of a channel's series of a label."""
    return f"{channel}{_MARK}{label}" if label else channel


def channel_of(key: str) -> str:
    """Return the channel of a series."""
    return key.partition(_MARK)[0]


def label_of(key: str) -> str:
    """Return the label of a series, "" of a main one."""
    return key.partition(_MARK)[2]
