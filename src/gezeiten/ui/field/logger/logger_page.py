"""Identity, offload and health of the chosen logger at one glance: the first three stages."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QHideEvent, QResizeEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QProgressBar, QWidget

from gezeiten.desk.field.arrival import Arrival
from gezeiten.desk.intake.overviews import ImportedOverview
from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.desk.logger.offloading import Offloaded
from gezeiten.domain.quantities.moist_air import dew_point_c
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import DAY_MS, approximate_duration_text
from gezeiten.link.registers import (
    END_WORDS,
    SELF_CHECK_GOOD,
    SELF_CHECK_NEVER,
    EndReason,
    LiveValue,
    SensorStatus,
)
from gezeiten.link.transfer import Progress
from gezeiten.ui.field.logger.logger_texts import clock_text, doing
from gezeiten.ui.format.i18n import counted, date, day_and_time, number, tr
from gezeiten.ui.format.progress import progress_text
from gezeiten.ui.format.units import Units
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.widgets import Card, Facts, button, label, set_role

LOOK_EVERY_MS = 2_000
EVENTS_SHOWN = 4
_LEAST_EM = 22
"""A card narrower than so many letters is not read but spelled."""


@dataclass(frozen=True, slots=True)
class BatteryLife:
    """What the battery means in days under the plan in the editor, and by which assumption."""

    days: float
    assumption: str


class LoggerPage(QWidget):
    """Four cards: who it is, what it holds, how it is, what it reads now.

    asked: name of an action ("blink", "record", "cancel", "check", "life", "pin"). labelled: what
    was typed from the case. wants_live: the present values are looked at and want refreshing.
    """

    asked = Signal(str)
    labelled = Signal(str)
    wants_live = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.identity, self.holding, self.health, self.live = (Facts() for _ in range(4))
        self.came = Facts()
        self.came.hide()
        self._progress: dict[str, Progress] = {}
        self._build_transfer()
        self.label = QLineEdit()
        self.label.setPlaceholderText(tr("last characters on the label, typed or scanned"))
        self.label.setAccessibleName(tr("Label on the case"))
        self.label.setMaxLength(40)
        self.label.textEdited.connect(self.labelled.emit)
        self.label_words = label("", "muted", wrap=True)
        self.label_words.setMargin(5)
        self.pin = self._question_row(tr("Enter PIN"), "pin")
        self.watch = QCheckBox(tr("keep reading (uses battery)"))
        self.watch.toggled.connect(self._watch_toggled)
        self._every = QTimer(self)
        self._every.setInterval(LOOK_EVERY_MS)
        self._every.timeout.connect(self.wants_live.emit)
        self.live_note = label("", "muted", wrap=True)
        self.part = self._question_row(tr("Part …"), "part")
        self.part.setToolTip(tr("Part of the readings, or an overview (Ctrl+F6)"))
        cards = (
            self._card(
                tr("1 · Identity"),
                [self.identity, self.label, self.label_words],
                [
                    self._question_row(tr("Blink LED"), "blink"),
                    self._question_row(tr("History"), "life"),
                    self.pin,
                ],
            ),
            self._card(
                tr("2 · Memory"),
                [self.holding, self.transfer, self.transfer_words, self.came],
                [
                    self._question_row(tr("Show in Trends"), "record"),
                    self._question_row(tr("Readings …"), "rows"),
                    self.part,
                    self.cancel,
                ],
            ),
            self._card(
                tr("3 · Health"), [self.health], [self._question_row(tr("Self-check"), "check")]
            ),
            self._card(tr("Live readings"), [self.live, self.live_note], [self.watch]),
        )
        self._cards, self._columns = cards, 0
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(10)
        self._arrange(2)
        self.end_transfer()

    def _arrange(self, columns: int) -> None:
        """Put the cards side by side, or one below the other where room is scarce."""
        if columns == self._columns:
            return
        self._columns = columns
        for i, card in enumerate(self._cards):
            self._grid.removeWidget(card)
            self._grid.addWidget(card, i // columns, i % columns)
        for i in range(2):
            self._grid.setColumnStretch(i, int(i < columns))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        least = _LEAST_EM * self.fontMetrics().horizontalAdvance("m")
        self._arrange(2 if event.size().width() >= 2 * least else 1)

    def _build_transfer(self) -> None:
        self.transfer = QProgressBar()
        self.transfer.setTextVisible(False)
        self.transfer.setAccessibleName(tr("Offloading"))
        self.transfer_words = label("", "muted", wrap=True)
        self.cancel = self._question_row(tr("Stop offloading"), "cancel")

    def _question_row(self, text: str, action: str) -> QWidget:
        return button(text, lambda: self.asked.emit(action))

    def _card(self, title: str, parts: list[QWidget], buttons: list[QWidget]) -> Card:
        """A card with facts above and buttons below."""
        card = Card(title)
        for part in parts:
            card.body.addWidget(part)
        card.body.addStretch(1)
        card.body.addLayout(FlowLayout(*buttons))
        return card

    # -- present values --------------------------------------------------------------------------
    def _watch_toggled(self, on: bool) -> None:
        if on:
            self._every.start()
            self.wants_live.emit()
        else:
            self._every.stop()

    def hideEvent(self, event: QHideEvent) -> None:
        self.watch.setChecked(False)  # nobody looks, nothing is spent
        super().hideEvent(event)

    def show_live(
        self, card: LoggerCard, live: list[LiveValue] | tuple[LiveValue, ...], units: Units
    ) -> None:
        """Show present values, and what follows from them."""
        plan = card.plan
        specs = card.identity.model.channels
        facts = []
        by_key = {}
        for spec, value in zip(specs, live, strict=True):
            own = plan.setting(spec.key) if plan else None
            name = own.name if own and own.name else quantity(spec.key).name
            facts.append((name, units.reading(spec.key, value, own.unit if own else "")))
            by_key[spec.key] = value
        air, humid = by_key.get("air_temperature"), by_key.get("relative_humidity")
        if air and humid and SensorStatus.OK == air.status == humid.status and humid.value > 0:
            dew = float(dew_point_c(air.value, humid.value))
            facts.append((tr("Dew point (calculated)"), units.value("air_temperature", dew)))
        self.live.show_facts(facts)

    # -- transfer ------------------------------------------------------------------------------
    def show_transfer(self) -> None:
        self._progress.clear()
        self.came.hide()
        self.transfer.setValue(0)
        self.transfer.show()
        self.cancel.show()

    def show_arrival(
        self, received: Arrival | ImportedOverview | None, zone: str, units: Units
    ) -> None:
        """Show what the last offload of this logger, or overview, brought, in one glance."""
        if isinstance(received, ImportedOverview):
            self._show_overview(received, zone, units)
            return
        self.came.setVisible(received is not None and received.span is not None)
        if received is None or received.span is None:
            self.transfer_words.setText(offload_text(received.result) if received else "")
            return
        since, until = (day_and_time(at, zone) for at in received.span)
        facts = [
            (tr("Last offload"), counted(received.result.readings, "%n reading", "%n readings")),
            (tr("Period"), f"{since} – {until}"),
        ]
        for extreme in received.extremes:
            if extreme.low is not None and extreme.high is not None:
                words = units.span(extreme.channel, extreme.low, extreme.high)
                facts.append((tr(quantity(extreme.channel).name), words))
        if received.clock_difference_ms is not None:
            facts.append((tr("Clock"), clock_text(received.clock_difference_ms)))
        new = counted(received.result.excursions_new, "%n new excursion", "%n new excursions")
        open_gaps = counted(received.open_gaps, "%n open gap", "%n open gaps")
        facts.append((tr("Needs attention"), f"{new} · {open_gaps}"))
        if received.result.excursions_before:
            words = counted(received.result.excursions_before, "%n excursion", "%n excursions")
            facts.append((tr("Already open"), words))
        self.came.show_facts(facts)

    def _show_overview(self, imported_overview: ImportedOverview, zone: str, units: Units) -> None:
        facts = [(tr("Last overview"), _overview_size(imported_overview))]
        if imported_overview.span is not None:
            since, until = (day_and_time(at, zone) for at in imported_overview.span)
            facts.append((tr("Period"), f"{since} – {until}"))
        for channel, low, high in imported_overview.extremes:
            facts.append((tr(quantity(channel).name), units.span(channel, low, high)))
        outside = counted(
            imported_overview.outside, "%n value outside a limit", "%n values outside a limit"
        )
        facts.append(
            (tr("Result"), outside if imported_overview.outside else tr("inside all limits"))
        )
        facts.append(
            (
                tr("Still to offload"),
                counted(imported_overview.readings, "%n reading", "%n readings"),
            )
        )
        self.came.show_facts(facts)
        self.came.show()

    def end_transfer(self) -> None:
        self.transfer.hide()
        self.cancel.hide()

    def show_progress(self, serial: str, progress: Progress) -> str:
        """Show where transfers stand, all together; returns it as a sentence."""
        self._progress[serial] = progress
        several = list(self._progress.values())
        done = sum(one.readings for one in several)
        total = sum(one.of_readings for one in several)
        self.transfer.setMaximum(max(total, 1))
        self.transfer.setValue(done)
        words = progress_text(tr("%1 offloading").replace("%1", serial), progress)
        if len(several) > 1:
            left = [one.seconds_left for one in several if one.seconds_left is not None]
            rate = sum(one.bytes_per_s for one in several)
            together = Progress(done, total, rate, max(left, default=None))
            loggers = counted(len(several), "%n logger offloading", "%n loggers offloading")
            words = progress_text(loggers, together)
        self.transfer_words.setText(words)
        return words

    # -- facts ---------------------------------------------------------------------------------
    def show_card(self, card: LoggerCard, zone: str, units: Units, wants_pin: bool) -> None:
        """Show a logger as just seen."""
        source = tr("practice logger (stand-in)") if card.state.practice else card.identity.maker
        model = f"{card.identity.model.name} · {tr('firmware')} {card.identity.firmware}"
        self.identity.show_facts(
            [
                (tr("Serial"), card.serial),
                (tr("Model"), model),
                (tr("Manufacturer"), source),
                (tr("Point"), card.point or tr("no point yet")),
                (tr("Address"), f"{card.address} · {tr(card.address.route)}"),
            ]
        )
        self.pin.setVisible(wants_pin)
        self.holding.show_facts([(tr("Status"), doing(card, zone)), *_missions(card, zone)])
        self.show_live(card, card.live, units)
        note = tr("as of %1").replace("%1", day_and_time(card.at_ms, zone))
        self.live_note.setText(note)

    def show_health(self, card: LoggerCard, zone: str, life: BatteryLife | None) -> None:
        """Show how the logger is; life: what its battery means under the plan being edited."""
        self.health.show_facts(_health(card, zone, life))

    def show_label_check(self, weight: str, sentence: str) -> None:
        """Say whether the label on the case suits; a mismatch is loud."""
        roles = {"passed": "kelp", "blocking": "alarm", "note": "muted"}
        set_role(self.label_words, roles.get(weight, "muted"))
        self.label_words.setText(sentence)


def _missions(card: LoggerCard, zone: str) -> list[tuple[str, str]]:
    """What each mission in memory holds, and what of it nobody else has."""
    facts = []
    for entry in card.directory:
        open_part = next((p for p in card.unstored if p.entry.mission == entry.mission), None)
        open_words = tr("all saved")
        if open_part:
            open_words = counted(open_part.readings, "%n to offload", "%n to offload")
        held = counted(entry.readings - entry.first_held, "%n reading", "%n readings")
        words = f"{entry.name} · {held}"
        if entry.first_ms:
            at_ms = entry.first_ms + entry.first_held * entry.interval_ms
            from_when = tr("since %1") if at_ms <= card.state.clock_ms else tr("begins %1")
            words += " · " + from_when.replace("%1", day_and_time(at_ms, zone))
        facts.append((f"{tr('Mission')} {entry.mission}", f"{words} · {open_words}"))
    if card.readings_damaged:
        facts.append(
            (tr("Damaged in transfer"), counted(card.readings_damaged, "%n reading", "%n readings"))
        )
    return facts or [(tr("Memory"), tr("empty"))]


def _health(card: LoggerCard, zone: str, life: BatteryLife | None) -> list[tuple[str, str]]:
    state = card.state
    used = 100 * state.memory_used / max(state.memory_size, 1)
    unsure = number(card.clock.uncertainty_ms, 1)
    facts = [
        (tr("Battery"), _battery(card, life)),
        (tr("Clock"), f"{clock_text(card.clock.difference_ms)} (± {unsure} ms)"),
        (tr("Memory"), f"{number(used)} % {tr('used')}"),
        (tr("Sensors"), _self_check(card)),
        (tr("Calibration due"), _calibration(card, zone)),
    ]
    if state.end_reason:
        ended = tr(END_WORDS[EndReason(state.end_reason)])
        if state.ended_ms:
            ended += f" · {day_and_time(state.ended_ms, zone)}"
        facts.append((tr("Last mission ended"), ended))
    newest = list(reversed(card.events))[:EVENTS_SHOWN]
    said = "\n".join(f"{day_and_time(ms, zone)}  {tr(text)}" for ms, text in newest)
    if len(card.events) > EVENTS_SHOWN:
        rest = len(card.events) - EVENTS_SHOWN
        said += "\n" + counted(rest, "and %n before", "and %n before")
    facts.append((tr("Logger events"), said or tr("nothing")))
    return facts


def _battery(card: LoggerCard, life: BatteryLife | None) -> str:
    state = card.state
    words = f"{number(state.battery_permille / 10, 0)} % · {number(state.battery_mv / 1000, 2)} V"
    if life is None:
        return f"{words} · {card.identity.model.battery.name}"
    days = approximate_duration_text(round(life.days * DAY_MS))
    return f"{words} · {tr('%1 under this plan').replace('%1', days)} ({life.assumption})"


def _self_check(card: LoggerCard) -> str:
    result = card.state.self_check
    if result == SELF_CHECK_NEVER:
        return tr("no self-check since power-on")
    if result == SELF_CHECK_GOOD:
        return tr("self-check good")
    failed = [
        quantity(spec.key).name
        for i, spec in enumerate(card.identity.model.channels)
        if (result - SELF_CHECK_GOOD) & 2 ** (i + 1)
    ]
    return tr("self-check failed: %1").replace("%1", ", ".join(failed))


def _calibration(card: LoggerCard, zone: str) -> str:
    if card.calibration_due_ms is None:
        return tr("not known")
    return date(card.calibration_due_ms, zone)


def _overview_size(imported_overview: ImportedOverview) -> str:
    words = counted(imported_overview.values, "%n value", "%n values")
    return (
        words
        + " · "
        + tr("one for every %1 readings").replace("%1", number(imported_overview.thinning.every))
    )


def overview_text(imported_overview: ImportedOverview) -> str:
    """Return what an overview brought in one sentence."""
    words = f"{imported_overview.serial}: {tr('overview of')} {_overview_size(imported_overview)}; "
    words += tr("no readings offloaded.")
    return f"{words} {imported_overview.error}" if imported_overview.error else words


def offload_text(result: Offloaded, *, named: bool = True) -> str:
    """Return what an offload brought in one sentence; named: beginning with the serial."""
    serial = f"{result.serial}: " if named else ""
    if result.error and not result.readings:
        return f"{serial}{result.error}"
    words = serial + counted(result.readings, "%n reading saved", "%n readings saved")
    if result.damaged:
        words += ", " + counted(result.damaged, "%n arrived damaged", "%n arrived damaged")
    if result.excursions_new:
        words += ", " + counted(
            result.excursions_new, "%n new excursion to assess", "%n new excursions to assess"
        )
    return f"{words}. {result.error}" if result.error else words + "."
