"""The raw vault: kept once, read-only, and noticed when changed."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
from pathlib import Path

import pytest

from gezeiten.archive.files.vault import Vault
from gezeiten.errors import ArchiveDamagedError


def test_bytes_come_back_under_their_fingerprint(tmp_path: Path) -> None:
    vault = Vault(tmp_path)
    sha256 = vault.store(b"as received")
    assert sha256 == hashlib.sha256(b"as received").hexdigest()
    assert vault.get(sha256) == b"as received"
    assert list(vault.fingerprints()) == [sha256]


def test_the_same_bytes_are_kept_once_and_read_only(tmp_path: Path) -> None:
    vault = Vault(tmp_path)
    first, second = vault.store(b"x" * 1000), vault.store(b"x" * 1000)
    assert first == second
    assert len(list(tmp_path.rglob("*.mission"))) == 1
    assert os.stat(vault.path(first)).st_mode & 0o222 == 0
    assert list(tmp_path.rglob("*.new")) == []


def test_changed_bytes_are_noticed(tmp_path: Path) -> None:
    vault = Vault(tmp_path)
    sha256 = vault.store(b"as received")
    path = vault.path(sha256)
    path.chmod(0o644)
    path.write_bytes(b"as invented")
    with pytest.raises(ArchiveDamagedError, match="was changed since it was saved"):
        vault.get(sha256)


def test_missing_bytes_are_noticed(tmp_path: Path) -> None:
    with pytest.raises(ArchiveDamagedError, match="cannot be read"):
        Vault(tmp_path).get("0" * 64)


_FULL = """
import resource, signal, sys
from pathlib import Path
from gezeiten.archive.files.vault import Vault
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
resource.setrlimit(resource.RLIMIT_FSIZE, (1000, 1000))
try:
    Vault(Path(sys.argv[1])).store(b"y" * 5000)
except OSError as exc:
    print(exc.errno)
"""


def test_a_write_that_cannot_finish_leaves_nothing_behind(tmp_path: Path) -> None:
    """A file-size limit in a process of its own stands for the full disk."""
    done = subprocess.run(
        [sys.executable, "-c", _FULL, str(tmp_path)], capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == "27"  # EFBIG
    assert [p for p in tmp_path.rglob("*") if p.is_file()] == []


def test_what_a_killed_intake_began_goes_after_an_hour(tmp_path: Path) -> None:
    vault = Vault(tmp_path)
    sha256 = vault.store(b"as received")
    begun = tmp_path / "123-abcd.new"
    begun.write_bytes(b"half")
    now_s = begun.stat().st_mtime
    assert vault.delete_stale(now_s + 60) == 0
    assert begun.exists()
    assert vault.delete_stale(now_s + 3_700) == 1
    assert not begun.exists()
    assert vault.get(sha256) == b"as received"
