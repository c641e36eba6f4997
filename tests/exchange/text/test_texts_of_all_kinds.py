"""Small texts of many origins, each with its truth written by hand beside it (`texts/`): read right
by themselves or after the questions that are asked, never wrong in silence.

A truth says what is asked and answered (`asks`), which columns are looked at (from 1), every
reading as an instant and its values, and which lines are left out.
"""

from __future__ import annotations

import tomllib
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from gezeiten.exchange.text.form import TextForm
from gezeiten.exchange.text.proposing import Proposal, propose
from gezeiten.exchange.text.reading import read_text

TEXTS = sorted((Path(__file__).parent / "texts").glob("*.txt"))


def answered(proposal: Proposal, asks: dict[str, str]) -> TextForm:
    """Return the form once a person gave the answers; each question is one that was expected."""
    assert {doubt.kind for doubt in proposal.doubts} == set(asks)
    time = replace(proposal.form.time, zone=asks.get("zone", ""))
    form = replace(proposal.form, time=time)
    for doubt in proposal.doubts:
        if doubt.choices:
            said = [words for _, words in doubt.choices]
            assert len(set(said)) == len(said)  # never two answers that are the same
            [value] = [value for value, words in doubt.choices if words == asks[doubt.kind]]
            if doubt.kind == "order":
                form = replace(form, time=replace(form.time, pattern=value))
            elif doubt.kind == "missing":
                form = replace(form, missing=(*form.missing, *value.split("\n")))
            else:
                form = replace(form, decimal=value)
    return form


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_it_is_read_as_a_person_reads_it(path: Path) -> None:
    truth: dict[str, Any] = tomllib.loads(path.with_suffix(".toml").read_text())
    columns = tuple(column - 1 for column in truth["columns"])
    form = answered(propose(path), truth["asks"])
    pieces = list(read_text(path, form, columns))
    times = np.concatenate([piece.times for piece in pieces])
    wanted = [datetime.fromisoformat(row[0]).timestamp() * 1000 for row in truth["rows"]]
    assert times.tolist() == wanted
    for i, column in enumerate(columns):
        values = np.concatenate([piece.values[column] for piece in pieces])
        np.testing.assert_allclose(values, [float(row[i + 1]) for row in truth["rows"]])
    left_out = [one.line for piece in pieces for one in piece.rejected]
    assert left_out == truth.get("left_out", [])
