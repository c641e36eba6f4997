"""Pages of the Field desk about one logger: who it is, what it holds, how it is, its mission."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QGridLayout, QProgressBar, QWidget

from gezeiten.desk.contact import LoggerCard
from gezeiten.desk.launching import Launched
from gezeiten.desk.offloading import Offloaded
from gezeiten.domain.quantities import quantity
from gezeiten.domain.timeline import DAY_MS, duration_text
from gezeiten.link.offload import Progress
from gezeiten.ui.i18n import clock_time, counted, date, day_and_time, number, tr
from gezeiten.ui.parts import Card, Facts, button, label, row
from gezeiten.ui.views.logger_list import doing, reading_words


class LoggerPage(QWidget):
    """Identity, offload and health at one glance; three of the stages lead here."""

    def __init__(
        self, blink: Callable[[], None], look: Callable[[], None], cancel: Callable[[], None]
    ) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.identity, self.holding, self.health, self.live = (Facts() for _ in range(4))
        self.transfer = QProgressBar()
        self.transfer.setTextVisible(False)
        self.transfer.setAccessibleName(tr("Offloading"))
        self.transfer_words = label("", "muted", wrap=True)
        self.cancel = button(tr("Stop offloading"), cancel)
        cards = (
            self._card(tr("1 · Who it is"), self.identity, button(tr("Let it blink"), blink)),
            self._card(
                tr("2 · What it holds"), self.holding, self.transfer, self.transfer_words,
                button(tr("Look at the record"), look), self.cancel,
            ),
            self._card(tr("3 · How it is"), self.health),
            self._card(tr("Reads now"), self.live),
        )  # fmt: skip
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(10)
        for i, card in enumerate(cards):
            grid.addWidget(card, i // 2, i % 2)
            grid.setColumnStretch(i % 2, 1)
            grid.setRowStretch(i // 2, 1)
        self.end_transfer()

    def _card(self, title: str, *parts: QWidget) -> Card:
        """A card with facts above and buttons below."""
        card = Card(title)
        buttons = [part for part in parts if part.metaObject().className() == "QPushButton"]
        for part in parts:
            if part not in buttons:
                card.body.addWidget(part)
        card.body.addStretch(1)
        if buttons:
            card.body.addLayout(row(*buttons, 1))
        return card

    # -- transfer ------------------------------------------------------------------------------
    def begin_transfer(self) -> None:
        self.transfer.setValue(0)
        self.transfer.show()
        self.cancel.show()

    def end_transfer(self) -> None:
        self.transfer.hide()
        self.cancel.hide()

    def show_progress(self, serial: str, progress: Progress) -> str:
        """Show where a transfer stands; returns it as a sentence."""
        self.transfer.setMaximum(max(progress.of_readings, 1))
        self.transfer.setValue(progress.readings)
        left = ""
        if progress.seconds_left is not None:
            left = duration_text(round(progress.seconds_left * 1000))
        words = tr("%1 offloading · %2 of %3 readings · %4 kB/s · %5 left")
        values = (serial, number(progress.readings), number(progress.of_readings),
                  number(progress.bytes_per_s / 1000, 1), left)  # fmt: skip
        for i, value in enumerate(values, 1):
            words = words.replace(f"%{i}", value)
        self.transfer_words.setText(words)
        return words

    # -- facts ---------------------------------------------------------------------------------
    def show_card(self, card: LoggerCard, zone: str) -> None:
        """Show a logger as just seen."""
        source = tr("practice logger (stand-in)") if card.state.practice else card.identity.maker
        self.identity.show_facts([
            (tr("Serial"), card.serial),
            (tr("Model"), card.identity.model.name),
            (tr("Firmware"), card.identity.firmware),
            (tr("Maker"), source),
            (tr("Measures at"), card.point or tr("no point yet")),
            (tr("Answers at"), f"{card.address} · {tr('network')}"),
        ])  # fmt: skip
        self.holding.show_facts([(tr("Is"), doing(card)), *_missions(card, zone)])
        self.health.show_facts(_health(card, zone))
        self.live.show_facts([
            (quantity(spec.key).name, reading_words(spec, live))
            for spec, live in zip(card.identity.model.channels, card.live, strict=True)
        ])  # fmt: skip


class MissionPage(Card):
    """The mission as the logger has it."""

    def __init__(self, stop: Callable[[], None]) -> None:
        super().__init__(tr("The mission as the logger has it"))
        self.mission = Facts()
        self.stop_button = button(tr("Stop this mission"), stop)
        self.body.addWidget(self.mission)
        self.body.addLayout(row(self.stop_button, 1))
        self.body.addStretch(1)

    def show_card(self, card: LoggerCard, zone: str, launched: Launched | None) -> None:
        """Show a logger's mission; launched: what a launch just now brought, if any."""
        plan, state = card.plan, card.state
        self.stop_button.setEnabled(card.is_recording)
        if plan is None:
            self.mission.show_facts([(tr("Mission"), tr("none launched yet"))])
            return
        facts = [
            (tr("Mission"), f"{state.mission_number} · {plan.mission_name or '—'}"),
            (tr("For"), plan.point_name or "—"),
            (tr("Is"), doing(card)),
            (tr("First reading"), day_and_time(state.first_due_ms, zone)),
            (tr("Readings so far"), number(state.readings)),
        ]
        if launched and launched.mission == state.mission_number:
            at = clock_time(launched.first_ms, zone, seconds=True)
            words = tr("read back and compared: the same; first reading %1")
            facts.append((tr("Plan"), words.replace("%1", at)))
        self.mission.show_facts(facts)


def _missions(card: LoggerCard, zone: str) -> list[tuple[str, str]]:
    """What each mission in memory holds, and what of it nobody else has."""
    facts = []
    for entry in card.directory:
        open_part = next((p for p in card.not_kept if p.entry.mission == entry.mission), None)
        open_words = tr("all kept")
        if open_part:
            open_words = counted(open_part.readings, "%n not kept", "%n not kept")
        held = counted(entry.readings - entry.first_held, "%n reading", "%n readings")
        since = day_and_time(entry.first_ms + entry.first_held * entry.interval_ms, zone)
        words = f"{entry.name} · {held} · {tr('since')} {since} · {open_words}"
        facts.append((f"{tr('Mission')} {entry.mission}", words))
    return facts or [(tr("Memory"), tr("empty"))]


def _health(card: LoggerCard, zone: str) -> list[tuple[str, str]]:
    state = card.state
    off, unsure = card.clock.difference_ms / 1000, card.clock.uncertainty_ms
    used = 100 * state.memory_used / max(state.memory_size, 1)
    calibration = tr("not known")
    if state.calibration_due_day:
        calibration = date(state.calibration_due_day * DAY_MS, zone)
    battery = (
        f"{number(state.battery_permille / 10, 0)} % · "
        f"{number(state.battery_mv / 1000, 2)} V · {card.identity.model.battery.name}"
    )
    side = tr("ahead of this computer") if off > 0 else tr("behind this computer")
    return [
        (tr("Battery"), battery),
        (tr("Clock"), f"{number(abs(off), 1)} s {side} (± {number(unsure, 1)} ms)"),
        (tr("Memory"), f"{number(used)} % {tr('used')}"),
        (tr("Calibration due"), calibration),
        (tr("Events noted"), number(state.events)),
    ]


def offload_words(result: Offloaded) -> str:
    """Return what an offload brought in one sentence."""
    if result.error and not result.readings:
        return f"{result.serial}: {result.error}"
    words = f"{result.serial}: " + counted(result.readings, "%n reading kept", "%n readings kept")
    if result.damaged:
        words += ", " + counted(result.damaged, "%n arrived damaged", "%n arrived damaged")
    if result.excursions_to_assess:
        words += ", " + counted(
            result.excursions_to_assess, "%n excursion to assess", "%n excursions to assess"
        )
    return f"{words}. {result.error}" if result.error else words + "."
