"""Steps and entries as values: what touches, what holds words."""

from __future__ import annotations

from gezeiten.domain.facts.entries import Entry
from gezeiten.domain.steps.steps import LINE, RecordStep


def test_a_step_touches_what_shares_an_instant_with_it() -> None:
    step = RecordStep(1, 1, "co2", LINE, 10, 20, 5, {}, 0, "JA", None, "")
    assert [step.touches(*s) for s in ((0, 10), (0, 11), (19, 30), (20, 30), (0, 30))] == [
        False,
        True,
        True,
        False,
        True,
    ]


def test_an_entry_holds_words_of_person_act_subject_and_sentence() -> None:
    entry = Entry(1, 0, "JA", "settle", "Shore · Well", "Frost settled: Weather.", {}, "", "")
    for words in (["ja"], ["settle", "well"], ["frost", "shore"], []):
        assert entry.matches(words)
    assert not entry.matches(["frost", "ember"])
