"""Small archives that each version with a schema of its own really made: opened today, they tell
what they told before. A change of form has to leave every line of tests/golden as it is."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest

from gezeiten.archive.database import known_revisions
from tests.golden import golden_of

FOLDER = Path(__file__).parent.parent / "golden"


def unpacked(version: str, into: Path) -> Path:
    """Return the folder of an archive as that version left it."""
    shutil.unpack_archive(FOLDER / f"{version}.zip", into)
    return into / version


@pytest.mark.parametrize("version", known_revisions()[:-1])
def test_an_archive_of_an_earlier_version_tells_what_it_told(version: str, tmp_path: Path) -> None:
    wanted = json.loads((FOLDER / f"{version}.json").read_text())
    assert golden_of(unpacked(version, tmp_path)) == wanted
