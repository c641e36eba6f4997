"""The command line: the same acts as in the window, for scripts and timers.

Exit codes: 0 done, 1 our fault, 2 input, 3 something on a logger is not kept, 4 logger or line,
5 computer (disk, database), 6 the archive is damaged.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import click

from gezeiten import __version__
from gezeiten.cli.common import (
    archive_option,
    json_option,
    open_desk,
    put,
    reports_errors,
    stretch_ms,
)
from gezeiten.cli.demo_command import demo_command
from gezeiten.cli.routes import take_command, vault_group
from gezeiten.cli.standin import standin_group
from gezeiten.cli.watch import watch_command
from gezeiten.cli.window import open_window
from gezeiten.desk.contact import contact
from gezeiten.desk.contact import find as find_loggers
from gezeiten.desk.context import Desk
from gezeiten.desk.handing import HandedOver, export_csv, export_pdf
from gezeiten.desk.launching import launch as launch_logger
from gezeiten.desk.launching import stop as stop_logger
from gezeiten.desk.mending import gaps
from gezeiten.desk.offloading import offload_logger
from gezeiten.desk.overviews import offload_overview
from gezeiten.desk.parts import newest_extent
from gezeiten.desk.pins import use_pin_once
from gezeiten.desk.places import point_named, sites
from gezeiten.desk.records import extent
from gezeiten.desk.verifying import verify as verify_archive
from gezeiten.domain.intervals import interval_text, parse_interval_s
from gezeiten.domain.plan import Plan
from gezeiten.domain.thinning import ThinKind
from gezeiten.domain.timeline import duration_text, iso_utc
from gezeiten.errors import GezeitenError, InputError
from gezeiten.exchange.plan_file import read_plan_file
from gezeiten.link.find import FoundLogger
from gezeiten.link.line import Address, Endpoint
from gezeiten.link.registers import State


@click.group(invoke_without_command=True)
@click.version_option(__version__)
@archive_option
@click.pass_context
@reports_errors
def main(context: click.Context, folder: Path | None) -> None:
    """Gezeiten: program loggers, offload, mend, review, hand over.

    Without a command the window opens.
    """
    if context.invoked_subcommand is None:
        context.exit(open_window(folder))


main.add_command(standin_group)
main.add_command(demo_command)
main.add_command(watch_command)
main.add_command(take_command)
main.add_command(vault_group)


def _at(text: str) -> Address:
    host, _, port = text.rpartition(":")
    if not host or not port.isdigit():
        raise InputError(f"“{text}” is no address; write it like 192.168.4.20:502.")
    return Address(host, int(port))


def _address_of(desk: Desk, serial: str, at: str | None) -> Endpoint:
    """Return where a logger answers: the address given, or the one found."""
    if at:
        return _at(at)
    for found in find_loggers(desk):
        if found.identity.serial == serial:
            return found.address
    raise InputError(f"{serial} is not at hand; connect it, or give its address with --at.")


@main.command()
@archive_option
@json_option
@click.option("--at", multiple=True, help="host:port or host:first-last; default: the settings.")
@reports_errors
def find(folder: Path | None, as_json: bool, at: tuple[str, ...]) -> None:
    """Find the loggers at hand."""
    with open_desk(folder) as desk:
        if at:
            desk.settings = replace(desk.settings, addresses=", ".join(at), serial_ports="")
        found = find_loggers(desk)
    lines = [
        f"{logger.identity.serial:8} {logger.identity.model.name:9} "
        f"{State(logger.state.state).name.lower():9} {logger.state.readings:>8} readings  "
        f"clock {duration_text(round(logger.clock.difference_ms))}  {logger.address}"
        for logger in found
    ]
    put(as_json, [_found_dict(logger) for logger in found], lines or ["No logger answers."])


def _found_dict(logger: FoundLogger) -> dict[str, object]:
    return {
        "serial": logger.identity.serial,
        "model": logger.identity.model.name,
        "address": str(logger.address),
        "state": State(logger.state.state).name.lower(),
        "mission": logger.state.mission_number,
        "readings": logger.state.readings,
        "battery_percent": logger.state.battery_permille / 10,
        "clock_difference_ms": logger.clock.difference_ms,
        "clock_uncertainty_ms": logger.clock.uncertainty_ms,
        "practice": bool(logger.state.practice),
    }


@main.command()
@archive_option
@json_option
@click.argument("serials", nargs=-1)
@click.option("--all", "everything", is_flag=True, help="Every logger at hand.")
@click.option("--at", help="Address host:port of the one logger named.")
@reports_errors
def offload(
    folder: Path | None, as_json: bool, serials: tuple[str, ...], everything: bool, at: str | None
) -> None:
    """Take what is not kept yet from loggers into the archive."""
    with open_desk(folder) as desk:
        if everything:
            wanted = {found.identity.serial: found.address for found in find_loggers(desk)}
        else:
            wanted = {serial: _address_of(desk, serial, at) for serial in serials}
        if not wanted:
            raise InputError("No logger named; give serials or --all.")
        results, failures = [], []
        for serial, address in wanted.items():
            try:
                results.append(offload_logger(desk, address, serial))
            except GezeitenError as exc:
                failures.append(exc)
    rows = [
        {"serial": r.serial, "readings": r.readings, "damaged": r.damaged, "error": r.error}
        for r in results
    ]
    lines = [
        f"{r.serial}: {r.readings} readings kept"
        + (f", {r.damaged} arrived damaged" if r.damaged else "")
        + (f". {r.error}" if r.error else "")
        for r in results
    ]
    put(as_json, rows, lines)
    if failures:
        raise failures[0]


@main.command("overview")
@archive_option
@json_option
@click.argument("serial")
@click.option("--at", help="Address host:port; default: found by its serial.")
@click.option("--every", type=int, help="Readings for one value; default: a screen full of values.")
@click.option("--means", is_flag=True, help="Means with lowest and highest, not each n-th reading.")
@reports_errors
def overview_command(
    folder: Path | None, as_json: bool, serial: str, at: str | None, every: int | None, means: bool
) -> None:
    """Look at a long mission in seconds; its readings stay not offloaded."""
    kind = ThinKind.MEANS if means else ThinKind.NTH
    with open_desk(folder) as desk:
        address = _address_of(desk, serial, at)
        extent = newest_extent(contact(desk, address, serial))
        if extent is None:
            raise InputError(
                f"{serial} holds no evenly spaced mission to thin; offload it as a whole."
            )
        wanted = every or extent.neat_every(extent.span)
        thinning = extent.overview(extent.span, kind, wanted)
        if not thinning.is_possible:
            raise InputError(f"{serial} cannot be thinned like this; give a smaller --every.")
        came = offload_overview(desk, address, serial, extent.entry.mission, thinning)
    row = {"serial": serial, "values": came.values, "every": thinning.every,
           "outside": came.outside,
           "extremes": {key: [low, high] for key, low, high in came.extremes},
           "error": came.error}  # fmt: skip
    lines = [f"{serial}: {came.values} values, one for every {thinning.every} readings. "
             f"{came.outside} seem outside a limit. {came.error}".strip()]  # fmt: skip
    lines += [f"  {key}: {low:g} to {high:g}" for key, low, high in came.extremes]
    put(as_json, row, lines)


@main.command()
@archive_option
@json_option
@click.argument("serial")
@click.option("--at", help="Address host:port; default: found by its serial.")
@click.option(
    "--plan", "plan_file", type=click.Path(path_type=Path, exists=True), help="Plan file."
)
@click.option("--point", help="Site · Point; default: as the last mission.")
@click.option("--interval", help="Like 6 min or 0:06; default: as the last mission.")
@click.option("--label", default="", help="Last signs on the case, to be compared.")
@click.option("--pin", help="PIN of a locked logger, for this time only.")
@click.option("--clock-is-right", "clock_word", help="Why, where this computer's clock is doubted.")
@click.option("--lose-damaged", "damaged_word", help="Why readings that arrive damaged may go.")
@reports_errors
def launch(
    folder: Path | None,
    as_json: bool,
    serial: str,
    at: str | None,
    plan_file: Path | None,
    point: str | None,
    interval: str | None,
    label: str,
    pin: str | None,
    clock_word: str | None,
    damaged_word: str | None,
) -> None:
    """Launch a logger: by a plan file, or as the last mission with changes."""
    words = {"computer clock": clock_word, "damaged": damaged_word}
    accepted = {key: word for key, word in words.items() if word}
    with open_desk(folder) as desk:
        if pin:
            use_pin_once(desk, serial, pin)
        address = _address_of(desk, serial, at)
        plan = _plan_for(desk, address, serial, plan_file)
        plan = replace(
            plan,
            point_name=point or plan.point_name,
            interval_s=parse_interval_s(interval) if interval else plan.interval_s,
        )
        done = launch_logger(desk, address, serial, plan, accepted, label)
    row = {"serial": done.serial, "mission": done.mission, "first_reading": iso_utc(done.first_ms)}
    line = (
        f"{done.serial}: mission {done.mission} launched, every {interval_text(plan.interval_s)}, "
        f"first reading {row['first_reading']}"
    )
    put(as_json, row, [line])


def _plan_for(desk: Desk, address: Endpoint, serial: str, plan_file: Path | None) -> Plan:
    from gezeiten.desk.planning import usual_plan

    if plan_file is None:
        return usual_plan(desk, contact(desk, address, serial))
    try:
        return read_plan_file(plan_file).plan
    except OSError as exc:
        raise InputError(f"{plan_file} cannot be read; check its name and rights.") from exc


@main.command("stop")
@archive_option
@json_option
@click.argument("serial")
@click.option("--at", help="Address host:port; default: found by its serial.")
@click.option("--pin", help="PIN of a locked logger, for this time only.")
@reports_errors
def stop_command(
    folder: Path | None, as_json: bool, serial: str, at: str | None, pin: str | None
) -> None:
    """Stop a logger's mission; its memory stays."""
    with open_desk(folder) as desk:
        if pin:
            use_pin_once(desk, serial, pin)
        stop_logger(desk, _address_of(desk, serial, at), serial)
    put(as_json, {"serial": serial, "stopped": True}, [f"{serial} is stopped; its memory stays."])


@main.command("list")
@archive_option
@json_option
@reports_errors
def list_points(folder: Path | None, as_json: bool) -> None:
    """List sites and points with what the archive holds of them."""
    rows, lines = [], []
    with open_desk(folder) as desk:
        for site in sites(desk):
            lines.append(f"{site.name} ({site.kind})" if site.kind else site.name)
            for point in site.points:
                span = extent(desk, point.id, [c.channel for c in point.channels])
                open_count = sum(1 for gap in gaps(desk, point.id) if gap.state == "open")
                rows.append({
                    "site": site.name,
                    "point": point.name,
                    "logger": point.serial,
                    "channels": [c.channel for c in point.channels],
                    "from": iso_utc(span[0]) if span else None,
                    "until": iso_utc(span[1]) if span else None,
                    "open_gaps": open_count,
                })  # fmt: skip
                held = f"{iso_utc(span[0])} to {iso_utc(span[1])}" if span else "no readings"
                gaps_said = "1 open gap" if open_count == 1 else f"{open_count} open gaps"
                lines.append(f"  {point.name:18} {point.serial:8} {held}  {gaps_said}")
    put(as_json, rows, lines or ["The archive is empty."])


def _hand_over(
    folder: Path | None,
    as_json: bool,
    point: str,
    since: str | None,
    until: str | None,
    out: Path | None,
    kind: str,
) -> None:
    with open_desk(folder) as desk:
        place = point_named(desk, point)
        span = stretch_ms(since, until, place.zone, desk.now_ms())
        write = export_csv if kind == "csv" else export_pdf
        done: HandedOver = write(desk, place, span, out)
    row = {"path": str(done.path), "sha256": done.sha256, "readings": done.readings}
    put(as_json, row, [f"{done.path}: {done.readings} readings, SHA-256 {done.sha256[:16]}…"])


def _stretch_options(command: Callable[..., None]) -> Callable[..., None]:
    """Add what both documents ask for: archive, point, stretch, file."""
    options = (
        archive_option,
        json_option,
        click.argument("point"),
        click.option("--from", "since", help="Begin, like 2026-11-01 (site time)."),
        click.option("--until", help="End, exclusive; default: now."),
        click.option("--out", type=click.Path(path_type=Path), help="File to write."),
    )
    for option in reversed(options):
        command = option(command)
    return command


@main.command("export")
@_stretch_options
@reports_errors
def export_command(**options: Any) -> None:
    """Write the CSV of a point ("Site · Point", its name or its logger's serial)."""
    _hand_over(**options, kind="csv")


@main.command("report")
@_stretch_options
@reports_errors
def report_command(**options: Any) -> None:
    """Write the PDF report of a point."""
    _hand_over(**options, kind="pdf")


@main.command()
@archive_option
@json_option
@click.pass_context
@reports_errors
def verify(context: click.Context, folder: Path | None, as_json: bool) -> None:
    """Check vault, readings and logbook; exit code 6 when something is not as it was."""
    with open_desk(folder) as desk:
        verdict = verify_archive(desk)
    row = {
        "offloads": verdict.offloads,
        "readings": verdict.readings,
        "logbook_entries": verdict.entries,
        "faults": verdict.faults,
    }
    lines = [
        f"{verdict.offloads} raw offloads, {verdict.readings} readings and "
        f"{verdict.entries} logbook entries checked.",
        *verdict.faults,
        "Everything is as it was kept." if verdict.is_whole else "Something is not as it was kept.",
    ]
    put(as_json, row, lines)
    if not verdict.is_whole:
        context.exit(6)
