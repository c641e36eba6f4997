"""`gezeiten standin`: simulated loggers as separate processes."""

from __future__ import annotations

from pathlib import Path

import click

from gezeiten.link.lines.address import cable_port
from gezeiten.standin.courier import SERIAL as COURIER_SERIAL
from gezeiten.standin.instruments import KINDS, run_instrument
from gezeiten.standin.run import run_standin
from gezeiten.standin.scenario import SITES, standins


@click.group("standin")
def standin_group() -> None:
    """Simulated loggers for practice and tests, speaking Modbus TCP on loopback."""


@standin_group.command("list")
def list_standins() -> None:
    """List the loggers of the scenario."""
    for site in SITES:
        for point in site.points:
            click.echo(f"{point.logger.serial}  {point.logger.model:9}  {site.name} · {point.name}")


@standin_group.command("run")
@click.argument(
    "serial", type=click.Choice([COURIER_SERIAL, *(spec.serial for spec in standins())])
)
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to listen on.")
@click.option("--port", default=0, show_default=True, help="Modbus port; 0 takes any free one.")
@click.option("--state", type=click.Path(path_type=Path), help="File with its state.")
@click.option("--anchor-ms", type=int, help="The stories' “now”, UTC ms; default: now.")
@click.option("--base-ms", type=float, help="True time at the start, UTC ms; default: now.")
@click.option("--speed", default=1.0, show_default=True, help="How fast its time runs.")
@click.option("--cable", type=click.Path(path_type=Path), help="Where its serial port appears.")
@click.option("--line", default="115200 8E1", show_default=True, help="How that port is set.")
@click.option("--until-stdin-closes", is_flag=True, help="Exit when standard input is closed.")
def run(
    serial: str,
    host: str,
    port: int,
    state: Path | None,
    anchor_ms: int | None,
    base_ms: float | None,
    speed: float,
    cable: Path | None,
    line: str,
    until_stdin_closes: bool,
) -> None:
    """Run one stand-in until interrupted; prints its ports as one line of JSON."""
    run_standin(
        serial,
        host=host,
        port=port,
        state_file=state,
        anchor_ms=anchor_ms,
        base_ms=base_ms,
        speed=speed,
        until_stdin_closes=until_stdin_closes,
        cable=(cable, cable_port(str(cable), line)) if cable else None,
    )


@standin_group.command("instrument")
@click.argument("kind", type=click.Choice(KINDS))
@click.option("--cable", type=click.Path(path_type=Path), required=True, help="Its serial port.")
@click.option("--every", default=1.0, show_default=True, help="Seconds between two lines.")
@click.option("--out", "out_of_reach", nargs=2, type=float, help="From, until: cable out, s.")
def instrument(
    kind: str, cable: Path, every: float, out_of_reach: tuple[float, float] | None
) -> None:
    """Run a practice instrument on a serial port until standard input closes."""
    run_instrument(kind, cable, every, out_of_reach or None)
