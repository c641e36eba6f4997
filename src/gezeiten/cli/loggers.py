"""Commands for connected loggers: find, offload, overview, launch, stop."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from gezeiten.cli.common import desk_for_reading, open_desk
from gezeiten.cli.options import archive_option, json_option, print_result, reports_errors
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.overviews import offload_overview
from gezeiten.desk.logger.contact import contact, find_all_loggers, find_serial
from gezeiten.desk.logger.launch.launch_checks import BEGUN_KEY, CLOCK_KEY
from gezeiten.desk.logger.launch.launching import launch as launch_logger
from gezeiten.desk.logger.launch.launching import stop as stop_logger
from gezeiten.desk.logger.memory_extent import newest_extent
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.logger.pins import use_pin_once
from gezeiten.domain.base.intervals import interval_text, parse_interval_s
from gezeiten.domain.base.wording import counted, figure, grouped, readings_text
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.drawing.thinning import ThinKind
from gezeiten.domain.series.timeline import duration_text, iso_utc
from gezeiten.errors import GezeitenError, InputError, LoggerAwayError, NotKeptError
from gezeiten.exchange.plan_file import read_plan_file
from gezeiten.link.find import FoundLogger
from gezeiten.link.lines.address import Address, Endpoint
from gezeiten.link.registers import State


def _at(text: str) -> Address:
    host, _, port = text.rpartition(":")
    if not host or not port.isdigit():
        raise InputError(f"“{text}” is not an address; type it like 192.168.4.20:502.")
    return Address(host, int(port))


def _address_of(desk: Workspace, serial: str, at: str | None) -> Endpoint:
    """Return where a logger answers: the address given, or the one found."""
    if at:
        return _at(at)
    try:
        return find_serial(desk, serial)
    except LoggerAwayError as exc:
        raise InputError(
            f"{serial} is not connected; connect it, or give its address with --at."
        ) from exc


@click.command("find")
@archive_option
@json_option
@click.option("--at", multiple=True, help="host:port or host:first-last; default: the settings.")
@reports_errors
def find_command(folder: Path | None, as_json: bool, at: tuple[str, ...]) -> None:
    """Find connected loggers."""
    with desk_for_reading(folder) as desk:
        if at:
            desk.settings = replace(desk.settings, addresses=", ".join(at), serial_ports="")
        loggers = find_all_loggers(desk)
    lines = [
        f"{logger.identity.serial:8} {logger.identity.model.name:9} "
        f"{State(logger.state.state).name.lower():9} {readings_text(logger.state.readings):>18}  "
        f"clock {duration_text(round(logger.clock.difference_ms))}  {logger.address}"
        for logger in loggers
    ]
    print_result(
        as_json, [_logger_dict(logger) for logger in loggers], lines or ["No logger answers."]
    )


def _logger_dict(logger: FoundLogger) -> dict[str, object]:
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


@click.command()
@archive_option
@json_option
@click.argument("serials", nargs=-1)
@click.option("--all", "everything", is_flag=True, help="All connected loggers.")
@click.option("--at", help="Address host:port of the one logger named.")
@reports_errors
def offload(
    folder: Path | None, as_json: bool, serials: tuple[str, ...], everything: bool, at: str | None
) -> None:
    """Offload readings that are not in the archive yet."""
    with open_desk(folder) as desk:
        if everything:
            wanted = {found.identity.serial: found.address for found in find_all_loggers(desk)}
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
        f"{r.serial}: {readings_text(r.readings)} saved"
        + (f", {grouped(r.damaged)} arrived damaged" if r.damaged else "")
        + (f". {r.error}" if r.error else "")
        for r in results
    ]
    print_result(as_json, rows, lines)
    if failures:
        raise failures[0]
    short = [r for r in results if r.error or r.damaged]
    if short:
        raise NotKeptError(
            f"{', '.join(r.serial for r in short)}: not everything was saved; offload again."
        )


@click.command("overview")
@archive_option
@json_option
@click.argument("serial")
@click.option("--at", help="Address host:port; default: found by its serial.")
@click.option("--every", type=int, help="Readings for one value; default: a screen full of values.")
@click.option(
    "--means", is_flag=True, help="Means with lowest and highest, instead of every nth reading."
)
@reports_errors
def overview_command(
    folder: Path | None, as_json: bool, serial: str, at: str | None, every: int | None, means: bool
) -> None:
    """Offload an overview of a long mission in seconds; its readings remain to be offloaded."""
    kind = ThinKind.MEANS if means else ThinKind.NTH
    with open_desk(folder) as desk:
        address = _address_of(desk, serial, at)
        extent = newest_extent(contact(desk, address, serial))
        if extent is None:
            raise InputError(
                f"{serial} has no evenly spaced mission for an overview; offload the whole mission."
            )
        wanted = every or extent.neat_every(extent.span)
        thinning = extent.overview(extent.span, kind, wanted)
        if not thinning.is_possible:
            raise InputError(f"{serial} cannot make this overview; give a smaller --every.")
        brought = offload_overview(desk, address, serial, extent.entry.mission, thinning)
    row = {
        "serial": serial,
        "values": brought.values,
        "every": thinning.every,
        "outside": brought.outside,
        "extremes": {key: [low, high] for key, low, high in brought.extremes},
        "error": brought.error,
    }
    lines = [
        f"{serial}: {counted(brought.values, 'value', 'values')}, one for every "
        f"{readings_text(thinning.every)}. {grouped(brought.outside)} outside "
        f"a limit, by the overview. {brought.error}".strip()
    ]
    lines += [f"  {key}: {figure(low)} to {figure(high)}" for key, low, high in brought.extremes]
    print_result(as_json, row, lines)


@click.command()
@archive_option
@json_option
@click.argument("serial")
@click.option("--at", help="Address host:port; default: found by its serial.")
@click.option(
    "--plan", "plan_file", type=click.Path(path_type=Path, exists=True), help="Plan file."
)
@click.option("--point", help="Site · Point; default: as the last mission.")
@click.option("--interval", help="Like 6 min or 0:06; default: as the last mission.")
@click.option("--label", default="", help="Last characters on the label, to be compared.")
@click.option("--pin", help="PIN of a locked logger, for this time only.")
@click.option(
    "--clock-is-right",
    "clock_word",
    help="Reason why this computer's clock is right, where it is in doubt.",
)
@click.option(
    "--end-started", "begun_word", help="Reason for ending a mission that has just started."
)
@click.option(
    "--lose-damaged", "damaged_word", help="Reason for losing readings that arrive damaged."
)
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
    begun_word: str | None,
    damaged_word: str | None,
) -> None:
    """Offload a logger and launch it, with a plan file or the last plan and changes."""
    words = {CLOCK_KEY: clock_word, BEGUN_KEY: begun_word, "damaged": damaged_word}
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
    print_result(as_json, row, [line])


def _plan_for(desk: Workspace, address: Endpoint, serial: str, plan_file: Path | None) -> Plan:
    from gezeiten.desk.logger.launch.planning import usual_plan

    if plan_file is None:
        return usual_plan(desk, contact(desk, address, serial))
    try:
        return read_plan_file(plan_file).plan
    except OSError as exc:
        raise InputError(f"{plan_file} cannot be read; check its name and rights.") from exc


@click.command("stop")
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
    print_result(
        as_json,
        {"serial": serial, "stopped": True},
        [f"{serial} is stopped; its readings stay in memory."],
    )
