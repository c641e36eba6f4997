"""Plan files: a plan as open text, to be handed on and taken in elsewhere.

JSON by the schema in docs/plan-file.schema.json (words in docs/plan-file.md). Reading accepts what
other versions leave out; what it does not understand is refused by name, never guessed.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from gezeiten.domain.base.naming import name_fault
from gezeiten.domain.base.untrusted import json_of
from gezeiten.domain.plan.plan import Plan, plan_from_dict
from gezeiten.errors import InputError, PlanError

KIND, VERSION, SUFFIX = "logger plan", 1, ".plan.json"
_LARGEST_BYTES = 1_000_000


@dataclass(frozen=True, slots=True)
class NamedPlan:
    """A plan with its name and the model it was made for ("" for any)."""

    name: str
    model: str
    plan: Plan


def write_plan_file(named: NamedPlan, path: Path) -> Path:
    """Write a plan, whole or not at all; a name without the suffix gets it."""
    if not path.name.endswith(".json"):
        path = path.with_name(path.name + SUFFIX)
    content = {
        "kind": KIND,
        "version": VERSION,
        "name": named.name,
        "model": named.model,
        "plan": named.plan.as_dict(),
    }
    fresh = path.with_name(path.name + ".new")
    fresh.write_text(json.dumps(content, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    fresh.replace(path)
    return path


def read_plan_file(path: Path) -> NamedPlan:
    """Return the plan of a file.

    Raises:
        InputError: it is no plan file, of a newer version, or not readable as one.
        OSError: it cannot be read at all.
    """
    problem = f"{path.name} is not a plan file; choose another file."
    if path.stat().st_size > _LARGEST_BYTES:
        raise InputError(problem)
    try:
        content: Any = json_of(path.read_text(encoding="utf-8"))
    except ValueError as exc:
        raise InputError(problem) from exc
    if not isinstance(content, dict) or content.get("kind") != KIND:
        raise InputError(problem)
    if content.get("version") != VERSION:
        raise InputError(f"{path.name} was written by a newer Gezeiten; update this one.")
    try:
        plan = plan_from_dict(content["plan"])
    except (PlanError, KeyError, TypeError) as exc:
        raise InputError(
            f"The plan in {path.name} is not valid ({exc}); nothing was imported."
        ) from exc
    name = " ".join(str(content.get("name", "")).split())[:80]
    if not name or name_fault(name):
        name = path.name.removesuffix(".json").removesuffix(".plan")
    return NamedPlan(name, str(content.get("model", "")), plan)
