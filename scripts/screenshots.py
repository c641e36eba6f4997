"""Takes the pictures of the docs from a demonstration that was built before.

Usage: screenshots.py DEMO_FOLDER OUT_FOLDER
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from gezeiten.cli.demo import open_demo
from gezeiten.ui.tour import take_pictures


def main() -> None:
    demo = open_demo(Path(sys.argv[1]).absolute(), print)
    out = Path(sys.argv[2])
    out.mkdir(parents=True, exist_ok=True)
    try:
        for theme in ("sun", "dark"):
            for picture in take_pictures(demo.folder / "archive", out, theme, only=2):
                picture.replace(picture.with_stem(f"{picture.stem}-{theme}"))
        for picture in take_pictures(demo.folder / "archive", out, "light"):
            print(picture)
    finally:
        demo.close()


main()
