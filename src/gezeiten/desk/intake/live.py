"""The live line: an instrument recorded while it tells, every reading on disk at once.

Readings go line by line into a journal beside the vault; every ten minutes, and at the end, the
journal is taken in like a text file. What a killed program leaves is taken in at the next start.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TextIO

from gezeiten.archive.intake.texts import check_name
from gezeiten.archive.store.faults import translated
from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.texts.text_files import TextImport, import_with_template
from gezeiten.desk.logger.incoming import import_left_behind
from gezeiten.domain.actions.offloads import LIVE_MODEL
from gezeiten.domain.base.untrusted import json_of
from gezeiten.domain.base.wording import readings_text
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.errors import DeviceError, GezeitenError, InputError, LoggerBusyError
from gezeiten.exchange.text.form import (
    ColumnMapping,
    ImportTemplate,
    TextForm,
    TimeForm,
    template_from_dict,
)
from gezeiten.link.instruments.instrument import Instrument, InstrumentSample, open_instrument
from gezeiten.link.instruments.profile import Profile
from gezeiten.link.transfer import lock_incoming

ROLL_S = 600.0
"""So often the journal goes into the record."""
_WAIT_S = 0.25
_RETRY_S = 1.0
_SUFFIX = ".live"


@dataclass(frozen=True, slots=True)
class LivePlan:
    """What is recorded: the mean of what an instrument tells in each stretch of `every_s`; or of
    every `means_of` samples, at the last of them, where that is not 0 (1: every sample as it is).

    name: of the source, for the record. stop_after: readings, None to go on until stopped.
    """

    profile: Profile
    port: str
    name: str
    point: str
    every_s: float
    stop_after: int | None = None
    means_of: int = 0


@dataclass(frozen=True, slots=True)
class LiveNews:
    """Something that happened. kind: "sample", "reading", "away", "back", "kept" or "ended".

    values: of a sample or a reading, by quantity.
    """

    kind: str
    at_ms: int
    text: str = ""
    values: dict[str, float] = field(default_factory=dict)
    readings: int = 0


def checked_plan(plan: LivePlan) -> LivePlan:
    """Return a plan that can be recorded.

    Raises:
        InputError: with what is missing.
    """
    if not plan.point.strip():
        raise InputError("The point is missing; choose where this is measured.")
    if not plan.name.strip():
        raise InputError("The instrument has no name; enter one.")
    if not 0 <= plan.means_of <= 100_000:
        raise InputError("A reading is the mean of at least one sample; enter a number.")
    if not plan.means_of and not 1 <= plan.every_s <= 86_400:
        raise InputError("The interval must be between one second and one day.")
    if plan.stop_after is not None and plan.stop_after < 1:
        raise InputError("At least one reading must be recorded; enter a larger number.")
    return plan


class Journal:
    """Readings of one recording, a line each, safe on disk when `write` returns."""

    def __init__(self, desk: Workspace, template: ImportTemplate, begun_ms: int) -> None:
        name = "".join(s if s.isalnum() else "-" for s in template.name)[:40]
        self.path = desk.archive.incoming / f"{name}-{begun_ms}{_SUFFIX}"
        self._folder = desk.archive.folder
        self._keys = [column.quantity for column in template.columns]
        with translated(self._folder):
            lock = lock_incoming(self.path)
            if lock is None:
                raise LoggerBusyError(
                    f"{template.name} is being recorded by another window or program; stop it "
                    "there "
                    "first."
                )
            self._lock = lock
            self._file: TextIO = self.path.open("w", encoding="utf-8")
            self._line("#" + json.dumps(template.as_dict()))
            self._line(",".join(["epoch_ms", *self._keys]))
        self.count = 0

    def write(self, at_ms: int, values: dict[str, float]) -> None:
        """Keep one reading.

        Raises:
            SurroundingsError: the disk; the readings before are safe.
        """
        cells = [repr(float(values[key])) if key in values else "" for key in self._keys]
        with translated(self._folder):
            self._line(",".join([str(at_ms), *cells]))
        self.count += 1

    def _line(self, text: str) -> None:
        self._file.write(text + "\n")
        self._file.flush()
        os.fsync(self._file.fileno())

    def close(self) -> None:
        """Close the file; it stays where it is."""
        self._file.close()
        os.close(self._lock)


def listen(
    port: str,
    profile: Profile,
    now_ms: Callable[[], float],
    seconds: float,
    report: Callable[[str], None],
    cancelled: Callable[[], bool],
) -> None:
    """Report what an instrument sends for some seconds, line by line, without recording.

    Raises:
        DeviceError: the port cannot be opened, or is gone.
    """
    instrument = open_instrument(port, profile, now_ms)
    end = time.monotonic() + seconds
    try:
        while time.monotonic() < end and not cancelled():
            sample = instrument.sample(_WAIT_S)
            if sample is not None:
                report(sample.raw)
    finally:
        instrument.close()


def journal_template(plan: LivePlan) -> ImportTemplate:
    """Return the tie by which the journal of a plan is read."""
    columns = tuple(
        ColumnMapping(i, value.quantity, quantity(value.quantity).unit)
        for i, value in enumerate(plan.profile.values, 1)
    )
    form = TextForm(
        "utf-8", ",", ".", 3, len(columns) + 1, TimeForm((0,), "epoch_ms"), missing=("",)
    )
    return ImportTemplate(plan.name.strip(), plan.point.strip(), form, columns)


class Recorder:
    """Records until cancelled or until its number of readings is reached; see `run`."""

    def __init__(
        self,
        desk: Workspace,
        plan: LivePlan,
        report: Callable[[LiveNews], None],
        cancelled: Callable[[], bool],
        roll_s: float = ROLL_S,
    ) -> None:
        self._desk, self._plan = desk, checked_plan(plan)
        with desk.archive.reading() as session:
            check_name(session, plan.name.strip(), LIVE_MODEL)
        self._tell, self._cancelled, self._roll_s = report, cancelled, roll_s
        self._template = journal_template(plan)
        self._sums: dict[str, tuple[float, int]] = {}
        self._window = -1
        self._last_ms = 0
        self._away = ""
        self._journal: Journal | None = None
        self._rolled = time.monotonic()
        self.readings = 0

    def run(self) -> int:
        """Record; returns how many readings there are. A port that goes and comes leaves a gap.

        Raises:
            SurroundingsError: the disk is full; what was recorded before is safe.
        """
        try:
            while not self._is_over():
                self._with_instrument()
                if not self._is_over():
                    time.sleep(_RETRY_S)
        finally:
            self._roll()
            self._report("ended", f"{readings_text(self.readings)} recorded.")
        return self.readings

    def _is_over(self) -> bool:
        wanted = self._plan.stop_after
        return self._cancelled() or (wanted is not None and self.readings >= wanted)

    def _with_instrument(self) -> None:
        """Read the instrument until it goes away or all is recorded."""
        plan = self._plan
        try:
            instrument = open_instrument(plan.port, plan.profile, self._desk.clock)
        except DeviceError as exc:
            self._report_silence(str(exc))  # tried again
            return
        self._away = ""
        self._report("back", plan.port)
        try:
            while not self._is_over():
                self._read_once(instrument)
        except DeviceError as exc:
            self._report_silence(str(exc))
        finally:
            instrument.close()

    def _report_silence(self, reason: str) -> None:
        """Say why nothing comes; the same reason once, not at every try."""
        if reason != self._away:
            self._away = reason
            self._report("away", reason)

    def _read_once(self, instrument: Instrument) -> None:
        sample = instrument.sample(_WAIT_S)
        if self._plan.means_of:
            if sample is not None:
                self._add(sample)
                self._close_count(sample)
        elif sample is not None:
            self._close_window(round(sample.at_ms))
            self._add(sample)
        else:
            self._close_window(round(self._desk.clock()))
        if time.monotonic() - self._rolled > self._roll_s:
            self._roll()

    def _add(self, sample: InstrumentSample) -> None:
        self._tell(LiveNews("sample", round(sample.at_ms), sample.raw, sample.values))
        for key, value in sample.values.items():
            total, count = self._sums.get(key, (0.0, 0))
            self._sums[key] = (total + value, count + 1)

    def _close_count(self, sample: InstrumentSample) -> None:
        """Write the mean of so many samples, at the last of them; two at one millisecond are
        told apart by one."""
        counts = [count for _, count in self._sums.values()]
        if not counts or max(counts) < self._plan.means_of:
            return
        sums, self._sums = self._sums, {}
        self._last_ms = max(round(sample.at_ms), self._last_ms + 1)
        self._write(self._last_ms, sums)

    def _close_window(self, now_ms: int) -> None:
        """Write the reading of the stretch that is over: the mean, at its end."""
        every_ms = round(self._plan.every_s * 1000)
        window = now_ms // every_ms
        if window == self._window:
            return
        ended, self._window = self._window, window
        sums, self._sums = self._sums, {}
        if ended < 0 or not sums:
            return
        self._write((ended + 1) * every_ms, sums)

    def _write(self, at_ms: int, sums: dict[str, tuple[float, int]]) -> None:
        means = {key: total / count for key, (total, count) in sums.items()}
        if self._journal is None:
            self._journal = Journal(self._desk, self._template, round(self._desk.clock()))
        self._journal.write(at_ms, means)
        self.readings += 1
        self._tell(LiveNews("reading", at_ms, "", means, self.readings))

    def _roll(self) -> None:
        """Take the journal into the record."""
        journal, self._journal = self._journal, None
        self._rolled = time.monotonic()
        if journal is None:
            return
        try:
            imported = _import_journal(self._desk, journal.path)
            self._report("kept", f"{readings_text(imported.readings)} in the record.")
        except GezeitenError as exc:
            self._report("kept", f"{exc} The readings are safe in {journal.path.name}.")
        finally:
            journal.close()

    def _report(self, kind: str, words: str = "") -> None:
        self._tell(LiveNews(kind, self._desk.now_ms(), words, {}, self.readings))


def _import_journal(desk: Workspace, path: Path) -> TextImport:
    """Take a journal in by the tie in its first line.

    Raises:
        InputError: it has none, or not one reading.
    """
    with translated(desk.archive.folder), path.open(encoding="utf-8", errors="replace") as file:
        first = file.readline()
    try:
        template = template_from_dict(json_of(first.removeprefix("#")))
    except ValueError as exc:
        raise InputError(
            f"{path.name} is not the journal of a live line; move it elsewhere."
        ) from exc
    imported = import_with_template(desk, path, template, LIVE_MODEL, "live line")
    with translated(desk.archive.folder):
        path.unlink()
    return imported


def recover_journals(desk: Workspace) -> int:
    """Take in what recordings that were killed left behind; returns how many there were."""
    return len(import_left_behind(desk, _SUFFIX, lambda path: _import_journal(desk, path)))
