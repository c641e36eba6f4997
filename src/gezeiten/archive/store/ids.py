"""Ids that name a thing for ever, on whatever computer: 32 hexadecimal digits of a UUID.

Loggers go by their serial, missions by serial, number and launch, bytes by their fingerprint: those
need none. Sites, points and what people make get a random one.
"""

from __future__ import annotations

import uuid

_OURS = uuid.UUID("6f1c2ac4-0a59-5d0c-9a3e-7c1f0a6b2d10")


def fresh_id() -> str:
    """Return an id that nothing has had."""
    return uuid.uuid4().hex


def id_of_old_row(first_hash: str, table: str, key: int) -> str:
    """Return the id of a row from before there were ids (UUID version 5): of its archive, known by
    the hash of its first entry, its table and its key. Two copies of an archive agree."""
    return uuid.uuid5(_OURS, f"{first_hash}/{table}/{key}").hex


def mission_id(serial: str, number: int, launched_ms: int) -> str:
    """Return the id of a logger's mission: the same on every computer."""
    return uuid.uuid5(_OURS, f"mission/{serial}/{number}/{launched_ms}").hex


def source_id(name: str, point: str) -> str:
    """Return the id of what stands for a source of texts at a point (its id), as missions do for
    loggers."""
    return uuid.uuid5(_OURS, f"source/{name}/{point}").hex
