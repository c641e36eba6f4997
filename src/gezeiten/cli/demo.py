"""The demonstration: stand-ins with seventy days of history, offloaded for real into an archive.

The archive is built by living through those days: the stand-ins' clock and the desk's are set to
each day of the story, and the same acts as in the field (launch, offload, settle) are done then.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from gezeiten.cli.demo_checks import read_by_hand
from gezeiten.desk.base.pin_store import MemoryPins
from gezeiten.desk.base.settings import Settings
from gezeiten.desk.base.workspace import TrustedClock, Workspace, computer_now_ms
from gezeiten.desk.field.gap_filling import fill_by_line, leave_open, line_offer
from gezeiten.desk.field.gaps import gaps
from gezeiten.desk.logger.contact import contact
from gezeiten.desk.logger.launch.launching import launch, stop
from gezeiten.desk.logger.launch.planning import save_plan
from gezeiten.desk.logger.offloading import offload_logger
from gezeiten.desk.logger.pins import USUAL_GROUP
from gezeiten.desk.office.issuing import export_csv, export_pdf
from gezeiten.desk.office.logger_history import note_service
from gezeiten.desk.open_workspace import open_workspace
from gezeiten.desk.record.excursion_book import excursions, settle
from gezeiten.desk.record.statements.calculated_series import Calculation, calculate
from gezeiten.desk.record.statements.site_editor import point_facts, save_point, save_site
from gezeiten.desk.sites.places import add_point, point_named, sites
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.facts.sites import SiteFacts
from gezeiten.domain.plan.plan import Plan
from gezeiten.domain.series.timeline import DAY_MS, HOUR_MS
from gezeiten.domain.steps.formulas import FORMULAS
from gezeiten.link.lines.address import cable_port
from gezeiten.standin.courier import SERIAL as COURIER_SERIAL
from gezeiten.standin.process import StandinProcess, end_fleet, start_fleet
from gezeiten.standin.scenario import HATCHERY_PIN, SITES, PointSpec, SiteSpec, standins
from gezeiten.standin.simclock import SimClock

HISTORY_DAYS = 70.0
_ON_CABLES = {"D-2038": ("ttyUSB0", "115200 8E1"), "P-0320": ("ttyUSB1", "19200 8E1")}
"""Serials of the loggers that are reached by a cable, with their ports."""
_DAMAGED_BLOCKS_K2 = (18, 29)


@dataclass(slots=True)
class Demo:
    """A running demonstration; `close` ends the stand-ins."""

    folder: Path
    fleet: list[StandinProcess]

    def close(self) -> None:
        """End the stand-ins of the demonstration."""
        end_fleet(self.fleet)


def open_demo(
    folder: Path,
    say: Callable[[str], None],
    wall_ms: Callable[[], float] = computer_now_ms,
    kind: type[StandinProcess] = StandinProcess,
) -> Demo:
    """Start the demonstration of a folder, building its archive if it is not there yet.

    Args:
        wall_ms: the instant it is now, UTC ms; the seventy days end with its hour.
        kind: how the stand-ins' processes are started.
    """
    ready = folder / "ready.json"
    if not ready.exists():
        shutil.rmtree(folder, ignore_errors=True)
        return _build(folder, say, wall_ms, kind)
    anchor_ms = json.loads(ready.read_text())["anchor_ms"]
    say("Starting the stand-in loggers ...")
    fleet = _fleet(folder, anchor_ms, wall_ms(), kind)
    desk = open_workspace(folder / "archive", now_ms=wall_ms)
    _set_endpoints(desk, fleet, folder)
    desk.close()
    return Demo(folder, fleet)


def _fleet(
    folder: Path, anchor_ms: int, base_ms: float, kind: type[StandinProcess]
) -> list[StandinProcess]:
    states = folder / "standins"
    states.mkdir(parents=True, exist_ok=True)
    serials = [*(spec.serial for spec in standins()), COURIER_SERIAL]
    ports = folder / "ports"
    ports.mkdir(exist_ok=True)
    cables = {
        serial: cable_port(str(ports / name), setting)
        for serial, (name, setting) in _ON_CABLES.items()
    }
    return start_fleet(serials, states, cables, kind, anchor_ms=anchor_ms, base_ms=base_ms)


def _set_endpoints(desk: Workspace, fleet: list[StandinProcess], folder: Path) -> None:
    """Set where the loggers are: on the network, or on a cable."""
    by_network = [process for process in fleet if process.cable is None]
    cables = [process.cable.path for process in fleet if process.cable is not None]
    desk.change_settings(
        replace(
            desk.settings,
            addresses=", ".join(str(process.address) for process in by_network),
            serial_ports=", ".join(cables),
            watched_folders=str(folder / "stick"),
        )
    )


def _build(
    folder: Path,
    say: Callable[[str], None],
    wall_ms: Callable[[], float],
    kind: type[StandinProcess],
) -> Demo:
    anchor_ms = int(wall_ms() // HOUR_MS * HOUR_MS)
    base_ms = anchor_ms - HISTORY_DAYS * DAY_MS
    say("Starting thirteen stand-in loggers ...")
    fleet = _fleet(folder, anchor_ms, base_ms, kind)
    clock = SimClock(base_ms)
    (folder / "archive").mkdir(parents=True)
    pins = MemoryPins()
    for group in (USUAL_GROUP, "Austernzucht Ost"):  # before and after they have a site
        pins.store(group, HATCHERY_PIN)
    desk = open_workspace(
        folder / "archive", now_ms=clock.now_ms, computer=TrustedClock(), pins=pins
    )
    try:
        desk.change_settings(Settings(person="JA"))
        _set_endpoints(desk, fleet, folder)
        _Scenario(desk, clock, fleet, anchor_ms, say, folder / "stick").live(wall_ms)
    except BaseException:
        end_fleet(fleet)
        raise
    finally:
        desk.close()
    (folder / "ready.json").write_text(json.dumps({"anchor_ms": anchor_ms}))
    return Demo(folder, fleet)


class _Scenario:
    """Seventy days in the order in which they happened."""

    def __init__(
        self,
        desk: Workspace,
        clock: SimClock,
        fleet: list[StandinProcess],
        anchor_ms: int,
        say: Callable[[str], None],
        stick: Path,
    ) -> None:
        self._stick = stick
        self._desk, self._clock, self._anchor_ms, self._say = desk, clock, anchor_ms, say
        self._fleet = fleet
        self._by_serial = {process.serial: process for process in fleet}
        self._courier = self._by_serial.pop(COURIER_SERIAL)

    def live(self, wall_ms: Callable[[], float]) -> None:
        """Do everything, oldest first, up to the instant it is now."""
        for site in SITES:
            self._add(site)
        actions: list[tuple[float, Callable[[], None]]] = [
            (70.0, self._launch_all_but("P-0317")),
            (58.0, self._offload("P-0330", "P-0331")),
            (57.47, self._launch("P-0317")),
            (50.0, self._offload("R-1107", "R-1109")),
            (44.0, self._offload_and_relaunch("D-2041", "D-2044")),
            (43.9, self._offload("D-2038")),
            (42.0, self._offload_and_relaunch("B-0508")),
            (41.9, self._offload("B-0511")),
            (40.0, self._offload("R-1107", "R-1109")),
            (38.0, self._offload("P-0330")),
            (37.0, self._marsh_with_bad_plug),
            (31.0, self._offload("R-1107", "R-1109")),
            (29.4, self._change_battery("B-0511")),
            (29.3, self._offload_and_relaunch("B-0511")),
            (21.0, self._offload("R-1107", "R-1109")),
            (16.0, self._offload("D-2041", "D-2044", "D-2038")),
            (14.0, self._offload("B-0508", "B-0511")),
            (10.0, self._offload("P-0330", "P-0331", "R-1107", "R-1109")),
            (9.9, self._settle_older),
            (9.0, self._offload("P-0317", "P-0320", "P-0321", "W-0112")),
            (4.0, self._offload("R-1107", "R-1109")),
            (0.3, self._visit_with_courier),
            (0.11, self._offload("D-2041", "D-2044")),
            (0.02, self._offload("R-1107", "R-1109")),
        ]
        for days_ago, action in actions:
            self._set_day(days_ago)
            action()
        self._set_day(0.0)
        self._clock.set(wall_ms(), 1.0)
        for process in self._fleet:
            process.order("time", ms=wall_ms())
            process.order("fault", damage_blocks=None)
        for process in self._by_serial.values():
            contact(self._desk, process.address, process.serial)
        self._mend()
        self._record_housekeeping()
        self._calculate()
        read_by_hand(self._desk, self._anchor_ms)
        self._hand_over()

    # -- moving through time -------------------------------------------------------------------
    def _set_day(self, days_ago: float) -> None:
        at_ms = max(self._anchor_ms - days_ago * DAY_MS, self._clock.now_ms())
        self._clock.set(at_ms, 1.0)
        for process in self._fleet:
            process.order("time", ms=self._clock.now_ms())

    # -- acts ----------------------------------------------------------------------------------
    def _visit_with_courier(self) -> None:
        """The courier was taken to the marsh and the boatyard; a stick was filled at the museum."""
        for serial in ("W-0112", "P-0317", "B-0508"):
            self._courier.order("collect", at=str(self._by_serial[serial].address))
        self._by_serial["D-2038"].order("drive", folder=str(self._stick))

    def _add(self, site: SiteSpec) -> None:
        visit = site.next_visit_days
        facts = SiteFacts(
            site.name,
            site.kind,
            "Europe/Berlin",
            site.latitude,
            site.longitude,
            site.height_m,
            None if visit is None else int(self._anchor_ms + visit * DAY_MS),
            None if visit is None else 60,
        )
        save_site(self._desk, facts)
        for point in site.points:
            add_point(self._desk, f"{site.name} · {point.name}")

    def _place(self, serial: str) -> tuple[SiteSpec, PointSpec]:
        return next(
            (site, point)
            for site in SITES
            for point in site.points
            if point.logger.serial == serial
        )

    def _start(self, serial: str) -> None:
        site, point = self._place(serial)
        plan = Plan(
            channels=point.plan.channels,
            interval_s=point.plan.interval_s,
            end=point.plan.end,
            limits=point.plan.limits,
            mission_name=f"{point.name} autumn",
            point_name=f"{site.name} · {point.name}",
        )
        launch(self._desk, self._by_serial[serial].address, serial, plan)
        self._say(f"  {serial} launched for {plan.point_name}")

    def _offload_one(self, serial: str) -> None:
        result = offload_logger(self._desk, self._by_serial[serial].address, serial)
        self._say(f"  {serial} offloaded, {readings_text(result.readings)}")

    def _launch(self, *serials: str) -> Callable[[], None]:
        return partial(_each, self._start, serials)

    def _launch_all_but(self, left_out: str) -> Callable[[], None]:
        return self._launch(*(s for s in self._by_serial if s != left_out))

    def _offload(self, *serials: str) -> Callable[[], None]:
        return partial(_each, self._offload_one, serials)

    def _offload_and_relaunch(self, *serials: str) -> Callable[[], None]:
        """Offload, then launch the same plan forty minutes later."""

        def act() -> None:
            for serial in serials:
                self._offload_one(serial)
            self._stop(serials)
            self._clock.set(self._clock.now_ms() + 40 * 60_000, 1.0)
            for process in self._by_serial.values():
                process.order("time", ms=self._clock.now_ms())
            for serial in serials:
                self._offload_one(serial)
                self._start(serial)

        return act

    def _stop(self, serials: tuple[str, ...]) -> None:
        for serial in serials:
            address = self._by_serial[serial].address
            if contact(self._desk, address, serial).is_recording:
                stop(self._desk, address, serial)

    def _change_battery(self, serial: str) -> Callable[[], None]:
        def act() -> None:
            self._by_serial[serial].order("battery")

        return act

    def _marsh_with_bad_plug(self) -> None:
        """The plug of K2 damaged eleven days of its memory on the way, again and again."""
        self._by_serial["P-0321"].order("fault", damage_blocks=_DAMAGED_BLOCKS_K2)
        self._offload("P-0317", "P-0320", "P-0321", "W-0112")()

    def _settle_older(self) -> None:
        """Settle what was older than a month, as a team that keeps up would have."""
        words = {
            "Paint hall": ("Own work", "Spraying, masks worn, hall aired afterwards."),
            "Tower attic": ("Weather", "Late summer heat under the roof; shutters opened."),
            "Display case 7": ("Door or lid", "Case opened for the yearly cleaning."),
            "Piezometer K2": ("Own work", "Pumped for the water sample."),
            "Tank 2": ("Equipment", "Heater stuck; relay changed, oysters fed again next day."),
        }
        for excursion in excursions(self._desk):
            if excursion.start_ms < self._anchor_ms - 30 * DAY_MS:
                cause, said = words.get(excursion.point.name, ("Not known", "Found on offload."))
                settle(self._desk, excursion.id, cause, said)

    def _record_housekeeping(self) -> None:
        """What a team notes beside its records: duties, calibrations, batteries, kept plans."""
        for site in sites(self._desk):
            for point in site.points:
                keys = tuple(place.channel for place in point.channels[:1])
                facts = replace(point_facts(self._desk, point.id), duty_channels=keys)
                save_point(self._desk, site.id, facts, point.id)
        for serial, days_ago in (("D-2041", 310), ("R-1107", 312), ("R-1109", 312)):
            at_ms = int(self._anchor_ms - days_ago * DAY_MS)
            words = "Ice point and bath at 25 °C, within 0.1 °C"
            due_ms = at_ms + 365 * DAY_MS
            note_service(self._desk, serial, "calibration", words, at_ms=at_ms, due_ms=due_ms)
        at_ms = int(self._anchor_ms - 29.4 * DAY_MS)
        note_service(self._desk, "B-0511", "battery", "it was empty", at_ms=at_ms)
        for serial, name in (("R-1107", "Cold store, tight"), ("D-2041", "Museum store")):
            _, spec = self._place(serial)
            plan = Plan(spec.plan.channels, spec.plan.interval_s, limits=spec.plan.limits)
            save_plan(self._desk, name, plan, spec.logger.model)

    def _calculate(self) -> None:
        """The level of the creek above its sensor, from the barometer in the hut."""
        creek, hut = (point_named(self._desk, name) for name in ("Creek gauge", "Barometer hut"))
        inputs = ((creek, "water_pressure"), (hut, "air_pressure"))
        calculation = Calculation(FORMULAS["water_level", 3], inputs, {"density_kg_m3": 1018.0})
        calculate(self._desk, calculation, "brackish, 24 g/kg at 12 °C")

    def _hand_over(self) -> None:
        """Hand over a fortnight of cold room A, as CSV and as PDF."""
        room = point_named(self._desk, "Cold room A")
        span = (self._anchor_ms - 14 * DAY_MS, self._anchor_ms)
        export_csv(self._desk, room, span)
        export_pdf(self._desk, room, span)

    def _mend(self) -> None:
        """Fill the short gaps of the relaunches; say why the boatyard's was left open."""
        for booked in gaps(self._desk):
            if booked.point.name == "Outdoor mast":
                leave_open(self._desk, booked, "Battery was empty; nothing recorded")
            elif not line_offer(self._desk, booked).refusal and booked.point.name != "Paint hall":
                fill_by_line(self._desk, booked)


def _each(run: Callable[[str], None], serials: tuple[str, ...]) -> None:
    for serial in serials:
        run(serial)
