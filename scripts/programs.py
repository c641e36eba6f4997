"""Which programs the set-up gives: those of its packages, of what they depend on, of a bare Debian.

`python3 scripts/programs.py FOLDER` fills a folder with links to these programs and to no others;
with that folder as PATH a program that was installed by hand is not found. Needs nothing but dpkg.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

SETUP = Path(__file__).parent / "setup.sh"
BARE = ("python3", "python3-venv", "git", "make", "ca-certificates")
"""What a machine has before the set-up runs, beside the essential packages."""
FOLDERS = ("/usr/sbin", "/usr/bin", "/sbin", "/bin")


def setup_packages() -> list[str]:
    """Return the packages that the set-up installs."""
    named = re.search(r"^packages=\((.*?)\)", SETUP.read_text(), re.DOTALL | re.MULTILINE)
    assert named, "scripts/setup.sh names no packages"
    return named[1].split()


def _installed() -> dict[str, tuple[bool, set[str]]]:
    """Return, by package or what it provides, whether it is essential and what it depends on."""
    form = "${Package}\t${Essential}${Priority}\t${Depends}, ${Pre-Depends}\t${Provides}\n"
    told = subprocess.run(
        ["dpkg-query", "-W", "-f", form], capture_output=True, text=True, check=True
    ).stdout
    found: dict[str, tuple[bool, set[str]]] = {}
    for line in told.splitlines():
        name, priority, needs, provides = line.split("\t")
        known = (priority in ("yesrequired", "norequired", "required"), _names(needs))
        for called in {name, *_names(provides)}:
            found.setdefault(called, (known[0], known[1] | ({name} if called != name else set())))
    return found


def _names(listed: str) -> set[str]:
    words = re.split(r"[,|]", listed)
    return {re.split(r"[\s(:]", word.strip())[0] for word in words if word.strip()}


def packages_there() -> set[str]:
    """Return the installed packages that are essential, bare, of the set-up, or needed by those."""
    installed = _installed()
    waiting = [name for name, (essential, _) in installed.items() if essential]
    waiting += [*BARE, *setup_packages()]
    there: set[str] = set()
    while waiting:
        name = waiting.pop()
        if name in installed and name not in there:
            there.add(name)
            waiting += installed[name][1]
    return there


def programs_there() -> dict[str, Path]:
    """Return where each of these programs lies, by its name."""
    listed = subprocess.run(
        ["dpkg-query", "-L", *sorted(packages_there())], capture_output=True, text=True, check=False
    ).stdout
    files = {
        os.path.realpath(line)
        for line in listed.splitlines()
        if "/bin/" in line or "/sbin/" in line
    }
    found = {}
    for folder in FOLDERS:
        for path in Path(folder).iterdir():
            # by its real path: many are links to links (/etc/alternatives)
            if os.path.realpath(path) in files:
                found[path.name] = path
    found["python3"] = Path(sys.executable)
    return found


def main() -> None:
    """Fill the folder named on the command line."""
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.iterdir():
        old.unlink()
    for name, path in programs_there().items():
        (folder / name).symlink_to(path)


if __name__ == "__main__":
    main()
