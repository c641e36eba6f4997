"""One dialog, three views of one open line.

An instrument chosen, its raw text seen, its readings recorded and drawn.

The recording belongs to `LiveWork`, not to the dialog: it goes on when the dialog is closed.
"""

from __future__ import annotations

import threading
from html import escape
from pathlib import Path

import pyqtgraph as pg
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QLineEdit,
    QPlainTextEdit,
    QWidget,
)
from shiboken6 import isValid

from gezeiten.desk.intake.live import LiveNews, LivePlan, Recorder, checked_plan
from gezeiten.desk.logger.cables import serial_ports
from gezeiten.desk.logger.keep_awake import prevent_sleep
from gezeiten.desk.sites.places import points, zone_at
from gezeiten.domain.base.intervals import interval_text, parse_interval_s
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.errors import GezeitenError, bug
from gezeiten.link.instruments.instrument import open_instrument, sensors_on
from gezeiten.link.instruments.profile import SDI12, Profile, find_profiles, read_profile
from gezeiten.link.instruments.sdi12 import Sensor
from gezeiten.ui.charts.axes import TimeAxis, ValueAxis
from gezeiten.ui.format.i18n import clock_time, counted, home_zone, number, tr, zones_text
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.widgets import Facts, button, column, give_room, label, row, set_role
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task

_RAW_LINES = 200
_AXIS_WIDTH = 84
"""Room for numbers and, beside them, the name of the quantity."""
_PREVIEW_S = 6.0
_DRAWN = 3_600


class LiveWork(QObject):
    """One recording at a time, in a thread of its own. news: LiveNews; changed: begun or ended."""

    news = Signal(object)
    changed = Signal()
    failed = Signal(str)

    def __init__(self, context: AppContext) -> None:
        super().__init__()
        self._context = context
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None
        self.plan: LivePlan | None = None
        self.drawn: dict[str, list[tuple[float, float]]] = {}
        self.readings = 0
        self.news.connect(self._on_news)
        self.failed.connect(self._show_failure)

    @property
    def is_on(self) -> bool:
        """Whether something is being recorded."""
        return self.plan is not None

    def start(self, plan: LivePlan) -> None:
        """Begin to record; `failed` says why where the plan cannot be recorded."""
        desk, wanted = self._context.desk, self._context.desk.settings.keep_awake
        self._ended = threading.Event()
        ended = self._ended.is_set
        self.plan, self.drawn, self.readings = plan, {}, 0

        def run() -> None:
            try:
                with prevent_sleep("Recording a live line", wanted=wanted):
                    Recorder(desk, plan, self.news.emit, ended).run()
            except GezeitenError as exc:
                self.failed.emit(str(exc))
            except Exception as exc:  # noqa: BLE001 - a recording may not end silently
                self.failed.emit(str(bug(exc)))

        self._thread = threading.Thread(target=run, daemon=True)
        self._thread.start()
        self.changed.emit()

    def stop(self) -> None:
        """End the recording and wait until all of it is in the record."""
        self._ended.set()
        if self._thread is not None:
            self._thread.join()
        self._thread = None

    def _on_news(self, news: LiveNews) -> None:
        self.readings = news.readings or self.readings
        if news.kind == "reading":
            for key, value in news.values.items():
                drawn = self.drawn.setdefault(key, [])
                drawn.append((news.at_ms / 1000, value))
                del drawn[:-_DRAWN]
        elif news.kind in ("away", "kept") and news.text:
            self._context.said.emit(news.text, news.kind == "away")
        if news.kind == "kept":
            self._context.archive_changed.emit()
        elif news.kind == "ended":
            self.plan = None
            self._context.show_message(news.text)
            self.changed.emit()

    def _show_failure(self, sentence: str) -> None:
        self.plan = None
        self._context.said.emit(sentence, True)
        self.changed.emit()


class LiveDialog(QDialog):
    """Stands beside the window; closing it ends no recording."""

    def __init__(self, parent: QWidget, context: AppContext, work: LiveWork) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._context, self.work = context, work
        self._looking: Task | None = None
        self._profiles: list[Profile] = []
        self._zones: dict[str, str] = {}
        self.setWindowTitle(tr("Live line"))
        self.resize(980, 640)
        self._build()
        work.news.connect(self._on_news)
        work.changed.connect(self._show_state)
        work.failed.connect(self._complain)
        self._show_state()
        self._load()

    # -- building --------------------------------------------------------------------------------
    def _build(self) -> None:
        self.profile, self.port, self.point = QComboBox(), QComboBox(), QComboBox()
        self.port.setEditable(True)
        self.port.setToolTip(tr("A serial port; for registers also a place like 192.168.4.20:502"))
        self.point.setEditable(True)
        self.name = QLineEdit()
        self.every = QLineEdit(interval_text(60))
        self.means = QComboBox()
        for many, words in (
            (0, tr("the mean of each period of")),
            (1, tr("every sample")),
            (-1, tr("the mean of a number of samples")),
        ):
            self.means.addItem(words, many)
        self.means.currentIndexChanged.connect(lambda _: self._show_means())
        self.stop_after = QLineEdit()
        self.stop_after.setPlaceholderText(tr("until stopped"))
        self.settings = label("", "muted")
        grid = QGridLayout()
        fields = (
            (tr("Instrument"), self.profile),
            (tr("Port"), self.port),
            (tr("Measured at"), self.point),
            (tr("Source name"), self.name),
            (tr("Each reading is"), self.means),
            (tr("Period or samples"), self.every),
            (tr("Stop after readings"), self.stop_after),
        )
        for line, (words, field) in enumerate(fields):
            grid.addWidget(label(words, "muted", whole=True), line, 0)
            grid.addWidget(field, line, 1)
            field.setAccessibleName(words)
        grid.setColumnStretch(1, 1)
        self.raw = QPlainTextEdit()
        self.raw.setReadOnly(True)
        self.raw.setMaximumBlockCount(_RAW_LINES)
        self.raw.setStyleSheet("font-family: monospace;")
        self.raw.setAccessibleName(tr("Instrument output"))
        self.times_note = label("", "muted")
        self.values = Facts()
        self.plot = pg.GraphicsLayoutWidget()
        self.plot.setAccessibleName(tr("Incoming readings"))
        self.words = label("", wrap=True)
        self.look = button(tr("Show instrument output"), self.show_raw)
        self.own = button(tr("Profile from a file …"), self.pick_profile, "link")
        self.made = button(tr("New or changed …"), self.make_profile, "link")
        self.sensors = button(tr("Find sensors on the bus"), self.show_sensors)
        self.start = button(tr("Record"), self.toggle, "primary")
        left = QWidget()
        left.setFixedWidth(380)
        left.setLayout(
            column(
                grid,
                self.settings,
                FlowLayout(self.made, self.own),
                row(self.look, self.sensors, 1),
                label(tr("Now"), "head"),
                self.values,
                1,
                self.words,
                row(self.start, button(tr("Close"), self.close), 1),
                spacing=8,
            )
        )
        right = column(
            row(label(tr("Instrument output"), "head"), 1, self.times_note),
            self.raw,
            label(tr("Incoming readings"), "head"),
            self.plot,
            spacing=4,
        )
        self.setLayout(row(left, right, margins=14))
        give_room(self, 1, 1)
        self.profile.currentIndexChanged.connect(lambda _: self._show_profile())
        self.point.currentTextChanged.connect(lambda _: self._show_zone())
        self._show_zone()

    def _load(self) -> None:
        desk = self._context.desk

        def known(_task: Task) -> tuple[list[Profile], list[str], dict[str, str]]:
            profiles = [p for p, _ in find_profiles(desk.archive.folder / "profiles")]
            zones = {p.full_name: p.zone for p in points(desk) if not p.retired}
            return profiles, [port.path for port in serial_ports(desk)], zones

        self._context.run(known, self._fill, failed=self._complain)

    def _fill(self, known: tuple[list[Profile], list[str], dict[str, str]]) -> None:
        if not isValid(self):
            return  # closed before it was filled
        profiles, ports, self._zones = known
        self._add_profiles(profiles)
        self.port.addItems(ports)
        self.point.addItems(["", *self._zones])
        self._show_zone()
        self._show_state()

    def _add_profiles(self, profiles: list[Profile]) -> None:
        for profile in profiles:
            self._profiles.append(profile)
            self.profile.addItem(profile.name)

    def _show_profile(self) -> None:
        profile = self._profiles[self.profile.currentIndex()]
        self.settings.setText(profile.settings)
        self.sensors.setVisible(profile.kind == SDI12)
        self.name.setText(profile.name)

    def pick_profile(self) -> None:
        """Read a profile from a file."""
        name, _ = QFileDialog.getOpenFileName(self, tr("Profile"), "", "*.toml")
        if not name:
            return
        try:
            self._add_profiles([read_profile(Path(name))])
        except GezeitenError as exc:
            self._complain(str(exc))
            return
        self.profile.setCurrentIndex(len(self._profiles) - 1)

    def make_profile(self) -> None:
        """Say by hand how an instrument that prints lines is read."""
        from gezeiten.ui.field.dialogs.profile_dialog import ProfileDialog

        start = self._profiles[self.profile.currentIndex()] if self._profiles else None
        dialog = ProfileDialog(self, self._context, self.port.currentText(), start)
        dialog.saved.connect(self._set_profile)
        dialog.open()

    def _set_profile(self, profile: Profile) -> None:
        self._add_profiles([profile])
        self.profile.setCurrentIndex(len(self._profiles) - 1)
        self._show_state()

    def _show_means(self) -> None:
        many = self.means.currentData()
        self.every.setEnabled(many != 1)
        self.every.setText("10" if many == -1 else "" if many == 1 else interval_text(60))

    # -- looking ---------------------------------------------------------------------------------
    def show_raw(self) -> None:
        """Listen for some seconds without recording."""
        if self.work.is_on or self._looking is not None:
            return
        profile = self._profiles[self.profile.currentIndex()]
        port, clock = self.port.currentText(), self._context.desk.clock

        def work(task: Task) -> None:
            instrument = open_instrument(port, profile, clock)
            end = clock() + _PREVIEW_S * 1000
            try:
                while clock() < end and not task.cancelled():
                    sample = instrument.sample(0.2)
                    if sample is not None:
                        at = round(sample.at_ms)
                        task.report(LiveNews("sample", at, sample.raw, sample.values))
            finally:
                instrument.close()

        self._show_message(tr("Listening to %1 ...").replace("%1", port))
        self._looking = self._context.run(
            work, self._show_loaded, self._on_news, self._show_search_failure
        )

    def _show_loaded(self, _: object) -> None:
        self._looking = None
        self._show_message(
            "" if self.raw.toPlainText() else tr("No data received; check the port.")
        )

    def _show_search_failure(self, sentence: str) -> None:
        self._looking = None
        self._complain(sentence)

    def show_sensors(self) -> None:
        """Find and identify the sensors on an SDI-12 bus."""
        profile, port = self._profiles[self.profile.currentIndex()], self.port.currentText()

        def show(sensors: list[Sensor]) -> None:
            for sensor in sensors:
                self.raw.appendPlainText(
                    f"{sensor.address}: {sensor.vendor} {sensor.model} {sensor.firmware} "
                    f"{sensor.serial}"
                )
            self._show_message(counted(len(sensors), "%n sensor found.", "%n sensors found."))

        self._context.run(lambda _task: sensors_on(port, profile), show, failed=self._complain)

    # -- recording -------------------------------------------------------------------------------
    def toggle(self) -> None:
        """Begin to record, or end it."""
        if self.work.is_on:
            self.start.setEnabled(False)
            self._context.run(lambda _task: self.work.stop(), lambda _: self._show_state())
            return
        try:
            self.work.start(checked_plan(self.plan()))
        except GezeitenError as exc:
            self._complain(str(exc))
            return
        self.raw.clear()

    def plan(self) -> LivePlan:
        """Return what is to be recorded.

        Raises:
            GezeitenError: a field cannot be read.
        """
        wanted, many = self.stop_after.text().strip(), self.means.currentData()
        every = self.every.text().strip()
        if many == -1:
            many = int(every) if every.isdigit() and int(every) else -1
        return LivePlan(
            self._profiles[self.profile.currentIndex()],
            self.port.currentText(),
            self.name.text(),
            self.point.currentText(),
            0.0 if many else float(parse_interval_s(every)),
            (int(wanted) if wanted.isdigit() else 0) if wanted else None,
            many,
        )

    def _on_news(self, news: LiveNews) -> None:
        if news.kind == "sample":
            at = clock_time(news.at_ms, self._zone(), seconds=True)
            self.raw.appendPlainText(f"{at}  {news.text}")
            self._show_values(news.values)
        elif news.kind == "reading":
            self._draw()
            words = counted(news.readings, "%n reading recorded", "%n readings recorded")
            self._show_message(words + tr(", each saved to disk."))
        elif news.kind == "away":
            self._complain(news.text)

    def _zone(self) -> str:
        """The zone at the point that is recorded at; the computer's where its site is new."""
        return zone_at(self._zones, self.point.currentText().strip(), home_zone())

    def _show_zone(self) -> None:
        self.times_note.setText(zones_text([self._zone()]))

    def _show_values(self, values: dict[str, float]) -> None:
        facts = []
        for key, value in values.items():
            known = quantity(key)
            facts.append((tr(known.name), f"{number(value, known.decimals)} {known.unit}"))
        if facts:
            self.values.show_facts(facts)

    def _draw(self) -> None:
        """One lane for each quantity, all on one time axis."""
        theme = self._context.theme
        self.plot.clear()
        self.plot.setBackground(theme.paper)
        first = None
        for line, (key, drawn) in enumerate(self.work.drawn.items()):
            axes = {"bottom": TimeAxis(self._zone()), "left": ValueAxis(_AXIS_WIDTH)}
            lane = self.plot.addPlot(line, 0, axisItems=axes)
            known = quantity(key)
            lane.getAxis("left").enableAutoSIPrefix(False)  # 1,013 hPa is not 1.013 khPa
            lane.setLabel(
                "left", escape(f"{known.symbol}, {known.unit}".strip(", ")), color=theme.ink
            )
            lane.plot(
                [t for t, _ in drawn],
                [v for _, v in drawn],
                pen=pg.mkPen(theme.tide, width=2),
                symbol="o",
                symbolSize=4,
                symbolBrush=theme.tide,
                symbolPen=None,
            )
            if first is not None:
                lane.setXLink(first)
            first = first or lane

    def _show_state(self) -> None:
        on = self.work.is_on
        self.start.setEnabled(bool(self._profiles))
        self.start.setText(tr("Stop recording") if on else tr("Record"))
        for part in (
            self.profile,
            self.port,
            self.point,
            self.name,
            self.every,
            self.stop_after,
            self.look,
            self.sensors,
            self.own,
            self.made,
            self.means,
        ):
            part.setEnabled(not on and bool(self._profiles))
        self._draw()

    def _show_message(self, words: str) -> None:
        set_role(self.words, "muted")
        self.words.setText(words)

    def _complain(self, words: str) -> None:
        set_role(self.words, "ember")
        self.words.setText(words)
