"""Archives of older versions: brought up whole, with what they held, and a copy kept aside."""

from __future__ import annotations

import ast
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, text

from gezeiten.archive.database import MIGRATIONS, Archive, known_revisions
from gezeiten.archive.store.tables import Mission, Point, Site
from tests.databases import behind_its_back


def archive_of(revision: str, folder: Path) -> None:
    """Make an archive as an older version did, with a site, a point and a mission in it."""
    folder.mkdir(parents=True)
    engine = create_engine(f"sqlite:///{folder / 'archive.db'}")
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, revision)
    with engine.begin() as connection:
        for statement in (
            "INSERT INTO site (id, name, kind, zone) VALUES (1, 'Shore', 'marsh', 'Europe/Berlin')",
            "INSERT INTO point (id, site_id, name, fill_limit_s, record_version, "
            "excursions_version) VALUES (1, 1, 'Well', 7200, 3, 3)",
            "INSERT INTO logger (id, serial, model, firmware, practice, point_id) "
            "VALUES (1, 'P-0321', 'Priel W3', '1.4', 1, 1)",
            "INSERT INTO mission (id, logger_id, point_id, number, launched_ms, first_ms, "
            "interval_ms, plan, readings, first_held, state) VALUES "
            "(1, 1, 1, 12, 5, 60000, 60000, '{}', 9, 0, 'logging')",
        ):
            connection.execute(text(statement))
    engine.dispose()


def test_migrations_are_history_and_import_nothing_that_lives() -> None:
    files = sorted((MIGRATIONS / "versions").glob("0*.py"))
    assert len(files) == len(known_revisions())
    for file in files:
        for node in ast.walk(ast.parse(file.read_text())):
            names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
            names += [str(node.module)] if isinstance(node, ast.ImportFrom) else []
            assert not [name for name in names if name.split(".")[0] == "gezeiten"], file.name


def test_an_archive_of_the_first_version_is_brought_up_with_all_it_held(tmp_path: Path) -> None:
    archive_of("0001", tmp_path / "old")
    archive = Archive(tmp_path / "old")
    with archive.reading() as session:
        site, point = session.get_one(Site, 1), session.get_one(Point, 1)
        assert (site.name, site.visit_every_days, site.retired_ms) == ("Shore", None, None)
        assert (point.name, point.duty_channels) == ("Well", None)
        assert session.get_one(Mission, 1).readings == 9
    archive.close()


def test_the_archive_as_it_was_is_kept_aside(tmp_path: Path) -> None:
    archive_of("0001", tmp_path / "old")
    Archive(tmp_path / "old").close()
    copy = tmp_path / "old" / "archive-before-0001.db"
    with behind_its_back(copy) as raw:
        assert raw.execute("SELECT version_num FROM alembic_version").fetchone() == ("0001",)
        assert raw.execute("SELECT name FROM point").fetchall() == [("Well",)]
    Archive(tmp_path / "new").close()
    assert not list((tmp_path / "new").glob("archive-before-*"))  # nothing to keep


def test_migrations_are_numbered_one_after_the_other() -> None:
    assert known_revisions() == [f"{i:04d}" for i in range(1, len(known_revisions()) + 1)]
