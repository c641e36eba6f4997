"""Names that were written once are written for ever, whatever the classes are called.

`wire_names.txt` beside this file lists them. A name that is missing from it is new and is added
by hand; a name in it that is not said any more would make archives unreadable.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any, get_args, get_type_hints

from gezeiten.archive.files.chains import Body, Envelope
from gezeiten.archive.store.tables import Base
from gezeiten.desk.base.pin_store import SERVICE
from gezeiten.desk.base.settings import Settings
from gezeiten.domain.actions import KINDS
from gezeiten.domain.limits.limits import LimitRule
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.series_keys import series_key
from gezeiten.domain.steps import steps
from gezeiten.domain.steps.corrections import CORRECTIONS
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.exchange.text.form import TextForm

LIST = Path(__file__).with_name("wire_names.txt")


def parts_of(path: str, kind: Any) -> Iterator[str]:
    """Yield the fields of what an action holds, at whatever depth, below the path to it."""
    if is_dataclass(kind):
        yield f"{path}: " + " ".join(field.name for field in fields(kind))
        for name, hint in get_type_hints(kind).items():
            yield from parts_of(f"{path}.{name}", hint)
    for inner in get_args(kind):
        yield from parts_of(path, inner)


def wire_names() -> Iterator[str]:
    """Yield what this version writes, a line each."""
    for kind in KINDS:
        yield f"action {kind.KIND} v{kind.VERSION} [{kind.WORD}] of {kind.ABOUT}"
        yield from parts_of(f"action {kind.KIND}", kind)
    yield "envelope " + " ".join(Envelope.__struct_fields__)
    yield "body " + " ".join(Body.__struct_fields__)
    for table in Base.metadata.tables.values():
        yield f"table {table.name}: " + " ".join(column.name for column in table.columns)
    yield from (f"step {kind}" for kind in steps.KINDS)
    yield from (f"correction {kind} {version}" for kind, version in CORRECTIONS)
    yield from (f"formula {key} {version}" for key, version in FORMULAS)
    for name, kept in (("plan", Plan), ("settings", Settings), ("text form", TextForm)):
        yield f"{name} " + " ".join(field.name for field in fields(kept))
    yield f"keyring service {SERVICE}"
    rule = LimitRule("air_temperature", "above", 28.0, 1_800, level="alarm", mean_s=86_400)
    yield f"rule key {rule.key}"
    yield f"series key {series_key('air_temperature', 'probe')}"


def test_what_is_written_stays_written() -> None:
    listed = set(LIST.read_text().splitlines())
    said = set(wire_names())
    assert said - listed == set(), "new: add to wire_names.txt by hand"
    assert listed - said == set(), "archives of before could not be read"
