"""Small texts of many origins, each with its truth written by hand beside it (`texts/`): read right
by themselves or after the questions that are asked, never wrong in silence.

A truth says what is asked and answered (`asks`) and which lines are left out; then either which
columns are looked at (from 1) with every reading as an instant and its values, or every series
(`series`) with its label, quantity and unit, as they are proposed, and its readings.
"""

from __future__ import annotations

import tomllib
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from gezeiten.exchange.text.form import ColumnMapping, TextForm
from gezeiten.exchange.text.proposal import Proposal, propose
from gezeiten.exchange.text.questions import TYPED, apply_answer
from gezeiten.exchange.text.reading import read_text

TEXTS = sorted(
    path for path in (Path(__file__).parent / "texts").iterdir() if path.suffix != ".toml"
)


def form_after(proposal: Proposal, asks: dict[str, str]) -> TextForm:
    """Return the form once a person gave the answers; each question is one that was expected."""
    assert {doubt.kind for doubt in proposal.doubts} == set(asks)
    form = proposal.form
    for doubt in proposal.doubts:
        said = [words for _, words in doubt.choices]
        assert len(set(said)) == len(said)  # never two answers that are the same
        answer = asks[doubt.kind]
        if doubt.many:
            value = "\n".join(value for value, _ in doubt.choices if value in answer.split())
        else:
            found = [value for value, words in doubt.choices if words == answer]
            assert found or doubt.kind in TYPED, doubt.choices
            value = found[0] if found else answer
        form = apply_answer(form, doubt, value)
    return form


def instants(rows: list[list[Any]]) -> list[float]:
    return [datetime.fromisoformat(row[0]).timestamp() * 1000 for row in rows]


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_it_is_read_as_a_person_reads_it(path: Path) -> None:
    truth: dict[str, Any] = tomllib.loads(path.with_suffix(".toml").read_text())
    proposal = propose(path)
    form = form_after(proposal, truth["asks"])
    if "series" in truth:
        check_series(path, form, proposal, truth)
        return
    columns = tuple(column - 1 for column in truth["columns"])
    pieces = list(read_text(path, form, columns))
    times = np.concatenate([piece.times for piece in pieces])
    assert times.tolist() == instants(truth["rows"])
    for i, column in enumerate(columns):
        values = np.concatenate([piece.values[column] for piece in pieces])
        np.testing.assert_allclose(values, [float(row[i + 1]) for row in truth["rows"]])
    left_out = [rejected_line.line for piece in pieces for rejected_line in piece.rejected]
    assert left_out == truth.get("left_out", [])


def check_series(path: Path, form: TextForm, proposal: Proposal, truth: dict[str, Any]) -> None:
    """Every series is proposed as it is called there, and holds its readings."""
    wanted = {(one["label"], one["quantity"], one["unit"]): one["rows"] for one in truth["series"]}
    found = {(column.label, column.quantity, column.unit): column for column in proposal.columns}
    assert set(found) == set(wanted)
    for key, tie in found.items():
        assert readings(path, form, tie) == pytest.approx(wanted_of(wanted[key]))
    columns = tuple(dict.fromkeys(tie.column for tie in proposal.columns))
    rows = tuple(dict.fromkeys(tie.where for tie in proposal.columns if tie.where))
    left_out = [
        rejected_line.line
        for piece in read_text(path, form, columns, rows=rows)
        for rejected_line in piece.rejected
    ]
    assert left_out == truth.get("left_out", [])


def readings(path: Path, form: TextForm, mapping: ColumnMapping) -> dict[float, float]:
    rows = (mapping.where,) if mapping.where else ()
    kept: dict[float, float] = {}
    for piece in read_text(path, replace(form), (mapping.column,), rows=rows):
        its = piece.of(mapping.where)
        kept |= dict(
            zip(piece.times[its].tolist(), piece.values[mapping.column][its].tolist(), strict=True)
        )
    return {at: value for at, value in kept.items() if not np.isnan(value)}


def wanted_of(rows: list[list[Any]]) -> dict[float, float]:
    return dict(zip(instants(rows), (float(row[1]) for row in rows), strict=True))
