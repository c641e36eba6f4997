"""Commands for routes other than a line: drives, text files, vault copies."""

from __future__ import annotations

from pathlib import Path

import click

from gezeiten.cli.common import desk_for_reading, open_desk
from gezeiten.cli.import_outlook import outlook_lines, outlook_row
from gezeiten.cli.options import archive_option, json_option, print_result, reports_errors
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.carriers.drives import (
    import_from_drive,
    is_mission_file,
    survey_drive,
    survey_file,
)
from gezeiten.desk.intake.carriers.vault_copy import copy_to, hand_on, import_copy
from gezeiten.desk.intake.texts.several_texts import import_texts, recognise_texts, texts_in
from gezeiten.desk.intake.texts.text_answers import preview_import
from gezeiten.desk.intake.texts.text_files import import_text
from gezeiten.desk.intake.texts.text_survey import with_values_seen
from gezeiten.desk.intake.unnamed_bytes import import_unnamed, unnamed_of
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.domain.base.wording import counted, grouped, readings_text
from gezeiten.errors import InputError, NotKeptError
from gezeiten.link.files.drive import DriveSeen


@click.command("import")
@archive_option
@json_option
@click.argument("path", type=click.Path(path_type=Path, exists=True), required=False)
@click.option(
    "--unnamed",
    metavar="DIGITS",
    help=(
        "Instead of a path: a file in the vault without a logbook entry "
        "(gezeiten verify lists them)."
    ),
)
@click.option(
    "--as",
    "tie_name",
    help=(
        "Import template of a text file, or of all text files of a folder; "
        "default: the one that fits."
    ),
)
@click.option("--dry-run", is_flag=True, help="Show what would be imported; import nothing.")
@click.option(
    "--answer",
    "answers",
    multiple=True,
    metavar="QUESTION=CHOICE",
    help="Answer to a question that --dry-run shows; may be given several times.",
)
@reports_errors
def import_command(
    folder: Path | None,
    as_json: bool,
    path: Path | None,
    tie_name: str | None,
    *,
    unnamed: str | None,
    dry_run: bool,
    answers: tuple[str, ...],
) -> None:
    """Import a mission file, those of a drive or folder, or a text file.

    A text file is imported only when no question about it is open. With --as a folder is taken as
    text files, all read with that import template.
    """
    if (path is None) == (unnamed is None):
        raise InputError("Name a file or folder, or a file of the vault with --unnamed.")
    with desk_for_reading(folder) if dry_run else open_desk(folder) as desk:
        stray = unnamed_of(desk, unnamed) if unnamed is not None else None
        path = stray.path if stray is not None else path
        assert path is not None  # one of the two was named
        is_text = path.is_file() and not is_mission_file(path)
        if stray is not None:
            is_text = not stray.is_mission_file
        if not is_text and (dry_run or answers):
            raise InputError(
                f"{path.name} is not a text file; --dry-run and --answer are for one text file."
            )
        if stray is not None and stray.is_mission_file:
            _print_offloaded(import_unnamed(desk, [stray]), [], as_json=as_json)
            return
        if path.is_dir() and tie_name:
            _import_folder(desk, path, tie_name, as_json=as_json)
            return
        if not is_text:
            is_file = path.is_file()
            card = (
                survey_file(desk, path)
                if is_file
                else survey_drive(desk, DriveSeen(path, path.name))
            )
            results = import_from_drive(desk, card).results
            others = [
                f"{record.key}: {record.note or 'already saved.'}"
                for record in card.records
                if not record.is_new
            ]
            _print_offloaded(results, others, as_json=as_json)
            return
        outlook = preview_import(desk, path, _answers(answers), tie_name or "")
        if dry_run or outlook.questions or outlook.unused:
            print_result(as_json, outlook_row(outlook), outlook_lines(outlook))
        if outlook.unused:
            raise InputError(f"“{outlook.unused[0]}” is not a question about {path.name}.")
        if dry_run:
            return
        if outlook.questions:
            raise InputError(
                f"{path.name}: {outlook.questions[0].question} Nothing was imported; "
                f"answer with --answer {outlook.questions[0].id}=…"
            )
        template = with_values_seen(outlook.template, outlook.survey)
        text = import_text(desk, path, template)
    row = {
        "readings": text.readings,
        "repeated": text.repeated,
        "left_out": text.rejected_in_all,
        "without_number": text.spoilt_in_all,
    }
    lines = [
        f"{path.name}: {readings_text(text.readings)} saved, {grouped(text.repeated)} "
        f"already saved, {counted(text.rejected_in_all, 'line', 'lines')} skipped."
    ]
    if text.spoilt_in_all:
        many = counted(text.spoilt_in_all, "line", "lines")
        lines.append(f"  {many} imported without a cell that is not a number.")
    lines += [f"  line {r.line}: {r.reason}  {r.text}" for r in text.rejected[:20]]
    print_result(as_json, row, lines)


def _print_offloaded(results: list[Offloaded], others: list[str], *, as_json: bool) -> None:
    """Print what was imported from mission files. others: sentences on files not imported."""
    rows: list[dict[str, object]] = [
        {"serial": r.serial, "readings": r.readings, "error": r.error} for r in results
    ]
    lines = [f"{r.serial}: {readings_text(r.readings)} saved. {r.error}".strip() for r in results]
    print_result(as_json, rows, [*lines, *others] or ["There is no mission file."])
    failed = [r for r in results if r.error]
    if failed:
        raise NotKeptError(f"{failed[0].serial}: not everything was saved; import it again.")


def _answers(said: tuple[str, ...]) -> dict[str, str]:
    """Return answers by the ids of their questions.

    Raises:
        InputError: one has no sign between question and choice, or a question is answered twice.
    """
    found: dict[str, str] = {}
    for one in said:
        question, sign, choice = one.partition("=")
        if not sign or question in found:
            raise InputError(f"--answer {one} is not QUESTION=CHOICE; correct it.")
        found[question] = choice
    return found


def _import_folder(desk: Workspace, folder: Path, kind: str, *, as_json: bool) -> None:
    """Import all text files of a folder that one import template fits."""
    texts = recognise_texts(desk, texts_in(folder), kind=kind)
    done = import_texts(desk, texts)
    imported = {path: one.readings for path, one in done.imported}
    failed = [
        *done.failed,
        *((one.path, one.summary) for one in texts if one.summary and not one.is_imported),
    ]
    rows: list[dict[str, object]] = [
        {
            "file": one.path.name,
            "readings": imported.get(one.path, 0),
            "kept_before": one.is_imported,
        }
        for one in texts
    ]
    lines = [f"{path.name}: {readings_text(many)} saved." for path, many in imported.items()]
    lines += [f"{one.path.name}: already saved." for one in texts if one.is_imported]
    lines += [f"{path.name}: {why}" for path, why in failed]
    print_result(as_json, rows, lines or ["There is no text file."])
    if failed:
        raise NotKeptError(f"{failed[0][0].name}: {failed[0][1]}")


@click.group("vault")
def vault_group() -> None:
    """Export or import a copy of the vault of raw offloads (without the logbook)."""


@vault_group.command("export")
@archive_option
@click.argument("target", type=click.Path(path_type=Path))
@click.pass_context
@reports_errors
def vault_copy(context: click.Context, folder: Path | None, target: Path) -> None:
    """Export a vault copy into a folder, or as one file where TARGET ends in .zip.

    Damaged raw offloads are skipped and named, with exit code 6.
    """
    with open_desk(folder, only_reads=True) as desk:
        write = hand_on if target.suffix == ".zip" else copy_to
        written = write(desk, target)
    offloads = counted(written.count, "raw offload", "raw offloads")
    click.echo(f"{target}: {offloads}, each compared with its fingerprint.")
    for sentence in written.damaged:
        click.echo(f"Skipped: {sentence}", err=True)
    if written.damaged:
        context.exit(6)


@vault_group.command("import")
@archive_option
@json_option
@click.argument("source", type=click.Path(path_type=Path, exists=True))
@reports_errors
def vault_import(folder: Path | None, as_json: bool, source: Path) -> None:
    """Import a vault copy; raw offloads already in the archive are skipped."""
    with open_desk(folder) as desk:
        brought = import_copy(desk, source)
    row = {
        "offloads": brought.offloads,
        "readings": brought.readings,
        "kept_already": brought.already_stored,
        "mended": brought.mended,
        "refused": brought.refused,
    }
    offloads = counted(brought.offloads, "raw offload", "raw offloads")
    readings = counted(brought.readings, "new reading", "new readings")
    lines = [
        f"{offloads} with {readings}; "
        f"{grouped(brought.already_stored)} already saved, {grouped(brought.mended)} "
        "of them repaired.",
        *brought.refused,
    ]
    print_result(as_json, row, lines)
