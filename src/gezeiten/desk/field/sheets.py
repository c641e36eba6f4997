"""Labels and round sheets: what stands on them, and where they are written."""

from __future__ import annotations

from pathlib import Path

from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.field.rounds import Round, VisitTask
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.sites.places import points
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.plan.models import LoggerModel
from gezeiten.domain.plan.outlook import ends_ms, readings_that_fit
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.plan.plan_words import end_text, rule_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import from_ms
from gezeiten.errors import InputError


def sheets_path(desk: Workspace) -> Path:
    """Return where sheets are written: the setting's folder, else the archive's."""
    selected = desk.settings.sheets_folder.strip()
    return Path(selected).expanduser() if selected else desk.archive.sheets


def sheets_folder(desk: Workspace) -> Path:
    """Return the folder of sheets, made if need be."""
    folder = sheets_path(desk)
    with translated(folder):
        folder.mkdir(parents=True, exist_ok=True)
    return folder


def write_label_sheet(desk: Workspace, cards: list[LoggerCard]) -> Path:
    """Write the labels of the missions on loggers and return the file; idle loggers get none.

    Raises:
        InputError: none of them has a mission.
        SurroundingsError: the disk.
    """
    # reportlab is slow to import and only documents need it
    from gezeiten.report.sheets import Label, write_labels

    zones = {point.full_name: point.zone for point in points(desk)}
    labels = [
        Label(
            card.serial,
            card.plan.point_name,
            tuple(label_lines(card, card.plan, zones.get(card.plan.point_name, "UTC"))),
        )
        for card in cards
        if card.plan is not None
    ]
    if not labels:
        raise InputError("There are no labels to print yet; launch a logger first.")
    stamp = f"{from_ms(desk.now_ms(), 'UTC'):%Y%m%d-%H%M%S}"
    path = sheets_folder(desk) / f"labels-{stamp}.pdf"
    with translated(path.parent):
        write_labels(labels, path)
    return path


def label_lines(card: LoggerCard, plan: Plan, zone: str) -> list[tuple[str, str]]:
    """Return what a label says: mission, first reading, interval, limits, expected end."""
    state = card.state
    first = "by its button"
    if state.first_due_ms:
        first = f"{from_ms(state.first_due_ms, zone):%Y-%m-%d %H:%M:%S}"
    lines = [
        ("Mission", f"{state.mission_number} · {plan.mission_name or '—'}"),
        ("First reading", first),
        ("Every", interval_text(plan.interval_s)),
        ("Ends", expected_end(plan, card.identity.model, state.first_due_ms, zone)),
    ]
    if state.practice:
        lines.append(("Practice", "practice logger, its readings are made up"))
    lines += [(quantity(rule.channel).name, rule_text(rule)) for rule in plan.limits[:4]]
    if len(plan.limits) > 4:
        lines.append(("", f"and {len(plan.limits) - 4} more limits"))
    return lines


def expected_end(plan: Plan, model: LoggerModel, first_ms: int, zone: str) -> str:
    """Return when recording ends by memory or plan, in words."""
    if not first_ms:
        return end_text(plan, zone)
    end = ends_ms(plan, readings_that_fit(model, plan), first_ms, plan.interval_s)
    words = end_text(plan, zone)
    return words if end is None else f"{from_ms(end, zone):%Y-%m-%d %H:%M} ({words})"


def write_round(desk: Workspace, under_way: Round) -> Path:
    """Write the sheet of a round and return the file."""
    from gezeiten.report.sheets import RoundSheet, write_round_sheet

    zone = under_way.tasks[0].zone if under_way.tasks else "UTC"
    day = f"{from_ms(under_way.day_ms, zone):%Y-%m-%d}"
    sites = tuple(
        (site, tuple(_round_line(task) for task in under_way.tasks if task.site == site))
        for site in under_way.sites
    )
    method = f"{len(under_way.sites)} sites, {len(under_way.tasks)} points"
    if under_way.distance_km:
        method += f", {under_way.distance_km:.0f} km as the gull flies"
    sheet = RoundSheet(day, under_way.planned_by, method, under_way.bring, sites)
    path = sheets_folder(desk) / f"round-{day}.pdf"
    with translated(path.parent):
        write_round_sheet(sheet, path)
    return path


def _round_line(task: VisitTask):  # type: ignore[no-untyped-def]  # its type needs the slow import
    from gezeiten.report.sheets import RoundLine

    logger = f"{task.serial} {task.model}".strip() or "—"
    todo = "Offload"
    if task.plan is not None:
        todo += f", launch again every {interval_text(task.plan.interval_s)}"
    return RoundLine(task.point, logger, ", ".join(task.reasons) or "visit", todo)
