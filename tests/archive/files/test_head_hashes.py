"""Remembered ends of archives: of this machine's user, whatever was copied along."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from gezeiten.archive.files.head_hashes import Head, Heads

HEAD = Head("chain", 7, "ab" * 32)


def machine(folder: Path, name: str) -> Path:
    path = folder / name
    path.write_text(f"{name}\n")
    return path


def test_an_end_is_remembered_on_its_machine_alone(tmp_path: Path) -> None:
    file, here, there = tmp_path / "h.json", machine(tmp_path, "a"), machine(tmp_path, "b")
    Heads(file, here).remember("archive", HEAD)
    assert Heads(file, here).of("archive") == HEAD
    assert Heads(file, there).of("archive") is None  # a whole home folder was copied
    assert Heads(file, here).of("another") is None
    Heads(file, there).remember("archive", Head("other chain", 1, "cd" * 32))
    assert Heads(file, there).of("archive") == Head("other chain", 1, "cd" * 32)


def test_what_was_remembered_before_machines_were_named_counts(tmp_path: Path) -> None:
    file = tmp_path / "h.json"
    file.write_text(json.dumps({"archive": {"chain": "chain", "number": 7, "hash": "ab" * 32}}))
    assert Heads(file, machine(tmp_path, "a")).of("archive") == HEAD


def test_a_machine_without_a_name_remembers_as_well(tmp_path: Path) -> None:
    heads = Heads(tmp_path / "h.json", tmp_path / "none")
    heads.remember("archive", HEAD)
    assert heads.of("archive") == HEAD


@pytest.mark.parametrize("text", ["", "[]", '{"archive": 3}', '{"archive": {"chain": "x"}}'])
def test_a_file_that_says_nothing_remembers_nothing(tmp_path: Path, text: str) -> None:
    file = tmp_path / "h.json"
    file.write_text(text)
    assert Heads(file, tmp_path / "none").of("archive") is None
    assert Heads(None).of("archive") is None
