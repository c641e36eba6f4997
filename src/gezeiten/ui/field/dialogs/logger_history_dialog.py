"""The life of a logger: missions and places, batteries, calibrations with their certificates."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path
from typing import cast

from PySide6.QtCore import QDate
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QLineEdit,
    QWidget,
)

from gezeiten.desk.field.sheets import sheets_path
from gezeiten.desk.logger.pins import set_pin_group
from gezeiten.desk.office.logbook import about_logger
from gezeiten.desk.office.logger_history import (
    LoggerHistory,
    PastMission,
    life,
    loggers,
    note_service,
    retire_logger,
    save_document,
)
from gezeiten.domain.base.intervals import interval_text
from gezeiten.domain.facts.stored import ServiceEntry, StoredReport
from gezeiten.domain.series.timeline import from_ms, midnight_ms
from gezeiten.ui.field.logger.logger_texts import mission_state
from gezeiten.ui.format.i18n import date, day_and_time, home_zone, number, tr, zones_text
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.tables import fill, plain_table, selected_item
from gezeiten.ui.parts.widgets import button, column, give_room, label, row
from gezeiten.ui.points.sources_dialog import SourcesDialog
from gezeiten.ui.shell.app_context import LOGBOOK, AppContext
from gezeiten.ui.work.acting import ActionRunner
from gezeiten.ui.work.draft_keeper import DraftKeeper


class LoggerHistoryDialog(QDialog):
    """Shows one logger; another can be chosen. What is entered is kept at once."""

    def __init__(self, parent: QWidget, context: AppContext, serial: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Logger history"))
        self._context = context
        self._life: LoggerHistory | None = None
        self._certificate: Path | None = None
        self._acting = ActionRunner(context, self._show_message)
        self._drafts = DraftKeeper(context)
        self.which = QComboBox()
        self.which.setAccessibleName(tr("Logger"))
        self.facts = label("", "muted", wrap=True)
        self.missions = plain_table(
            tr("Missions"),
            [
                tr("Mission"),
                tr("Launched"),
                tr("Interval"),
                tr("Readings saved"),
                tr("State"),
                tr("Point and mission name"),
            ],
        )
        self.services = plain_table(
            tr("Work done"),
            [tr("On"), tr("What"), tr("By"), tr("Valid until"), tr("Document"), tr("Comment")],
        )
        self.times_note = label("", "muted")
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self.save_button = button(tr("Export the document"), self.save_document)
        self.retire_button = button("", self.retire)
        self.group = QLineEdit()
        self.group.setPlaceholderText(tr("its site's"))
        self.group.setAccessibleName(tr("Shares a PIN with the loggers of"))
        self.group.setMaximumWidth(180)
        self.group.editingFinished.connect(self._group_typed)
        self.entry_line = self._entry_line()
        self.setLayout(
            column(
                row(
                    self.which,
                    1,
                    label(tr("PIN shared with"), "muted"),
                    self.group,
                    self.retire_button,
                ),
                self.facts,
                label(tr("Missions and deployments"), "head"),
                self.missions,
                label(tr("Batteries, calibrations, repairs, reports"), "head"),
                self.services,
                self.entry_line,
                self.problem,
                row(
                    self.save_button,
                    self.times_note,
                    1,
                    button(tr("Deployments …"), self.show_sources),
                    button(tr("In the logbook"), self.show_history),
                    button(tr("Close"), self.accept),
                ),
                spacing=7,
                margins=16,
            )
        )
        if context.is_read_only:
            for action in (self.retire_button, self.entry_line, self.problem):
                action.hide()
            self.group.setEnabled(False)
        self.resize(980, 660)
        context.run(lambda _task: loggers(context.desk), lambda known: self._select(known, serial))

    def show_history(self) -> None:
        """Show what the logbook has on the chosen mission, or on the logger."""
        serial, mission = self.which.currentData(), selected_item(self.missions)
        number = mission.number if isinstance(mission, PastMission) else None
        self.accept()
        self._context.go.emit(LOGBOOK, lambda _desk: about_logger(serial, number))

    def show_sources(self) -> None:
        """Show where the logger was, from when to when."""
        SourcesDialog(self, self._context, serial=self.which.currentData() or "").open()

    def _select(self, listed: list[tuple[str, str, str]], serial: str) -> None:
        for known, model, place in listed:
            self.which.addItem(" · ".join(filter(None, (known, model, place))), known)
        self.which.setCurrentIndex(max(self.which.findData(serial), 0))
        self.which.currentIndexChanged.connect(lambda _: self._load())
        self._load()
        self.missions.setFocus()

    def _entry_line(self) -> QWidget:
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Work done"))
        for key, text in (
            ("battery", tr("battery changed")),
            ("calibration", tr("calibrated")),
            ("repair", tr("repaired")),
            ("note", tr("noted")),
        ):
            self.kind.addItem(text, key)
        self.on = self._day(QDate.currentDate(), tr("On"))
        self.until = self._day(QDate.currentDate().addYears(1), tr("Valid until"))
        self.words = QLineEdit()
        self.words.setPlaceholderText(tr("comment"))
        self.words.setAccessibleName(tr("Comment"))
        self.words.setMaxLength(300)
        self.words.returnPressed.connect(self.enter)
        self.words.textEdited.connect(lambda typed: self._drafts.remember(self._draft_key(), typed))
        self.attach = button(tr("Calibration certificate …"), self.pick_certificate)
        self._until_label = label(tr("until"), "muted")
        enter = button(tr("Save"), self.enter)
        line = QWidget()
        line.setLayout(
            row(
                self.kind,
                self.on,
                self._until_label,
                self.until,
                self.words,
                self.attach,
                enter,
                spacing=6,
            )
        )
        give_room(line, 4, 1)
        self.kind.currentIndexChanged.connect(lambda _: self._update_fields())
        self._update_fields()
        return line

    def _day(self, day: QDate, name: str) -> DateTimeField:
        field = DateTimeField(name, has_time=False)
        field.show_day(cast(dt.date, day.toPython()))
        return field

    def _update_fields(self) -> None:
        calibrated = self.kind.currentData() == "calibration"
        for part in (self.until, self._until_label, self.attach):
            part.setVisible(calibrated)

    # -- showing -------------------------------------------------------------------------------
    def _draft_key(self) -> str:
        """Under which words about the chosen logger are kept until they are entered."""
        return f"life:{self.which.currentData()}"

    def _load(self) -> None:
        serial = self.which.currentData()
        if serial is None:
            self.facts.setText(tr("No logger has been contacted yet."))
            return
        desk = self._context.desk
        self._context.run(lambda _task: life(desk, serial), self._show, latest="life")

    def _show(self, logger_history: LoggerHistory) -> None:
        self._life = logger_history
        zone = _zone_of(logger_history)
        seen = day_and_time(logger_history.seen_ms, zone) if logger_history.seen_ms else tr("never")
        parts = [
            logger_history.model,
            f"{tr('firmware')} {logger_history.firmware}",
            logger_history.point or tr("no point"),
            tr("seen %1").replace("%1", seen),
        ]
        if logger_history.practice:
            parts.append(tr("practice logger (stand-in)"))
        if logger_history.retired_ms:
            parts.append(tr("retired"))
        self.facts.setText(" · ".join(parts))
        self.times_note.setText(zones_text([zone]))
        self.group.setText(logger_history.pin_group)
        typed = self._drafts.get(self._draft_key())
        if self.words.text() != typed:
            self.words.setText(typed)
        self.retire_button.setText(tr("Reactivate") if logger_history.retired_ms else tr("Retire"))
        fill(
            self.missions,
            [
                [
                    number(m.number),
                    _launched(m, zone),
                    interval_text(m.interval_ms // 1000),
                    number(m.stored),
                    mission_state(m),
                    " · ".join(filter(None, (m.point, m.name))),
                ]
                for m in logger_history.missions
            ],
            list(logger_history.missions),
        )
        kinds = {
            "battery": tr("battery"),
            "calibration": tr("calibration"),
            "repair": tr("repair"),
            "note": tr("note"),
        }
        rows: list[tuple[int, object, list[str]]] = [
            (
                s.at_ms,
                s,
                [
                    date(s.at_ms, zone),
                    kinds[s.kind],
                    s.person,
                    date(s.due_ms, zone) if s.due_ms else "",
                    s.certificate_name and f"{s.certificate_name} · {s.certificate_sha256[:8]}",
                    s.note,
                ],
            )
            for s in logger_history.services
        ]
        rows += [
            (
                r.at_ms,
                r,
                [
                    date(r.at_ms, zone),
                    tr("logger's report"),
                    r.person,
                    "",
                    f"{r.name} · {r.sha256[:8]}",
                    f"{tr('Mission')} {r.mission}" if r.mission is not None else "",
                ],
            )
            for r in logger_history.reports
        ]
        rows.sort(key=lambda line: -line[0])
        fill(self.services, [texts for _, _, texts in rows], [item for _, item, _ in rows])

    # -- acts ------------------------------------------------------------------------------------
    def _show_message(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

    def pick_certificate(self) -> None:
        """Choose the file to attach."""
        path, _ = QFileDialog.getOpenFileName(self, tr("Attach a calibration certificate"))
        if path:
            self.attach_certificate(Path(path))

    def attach_certificate(self, path: Path) -> None:
        """Attach this file to what is entered next."""
        self._certificate = path
        self.attach.setText(path.name if len(path.name) < 24 else path.name[:22] + "…")

    def enter(self) -> None:
        """Enter what was done."""
        known = self._life
        if known is None:
            return
        zone, kind = _zone_of(known), self.kind.currentData()
        calibrated = kind == "calibration"
        desk = self._context.desk
        try:
            noon_ms = midnight_ms(self.on.day(), zone) + 12 * 3_600_000
            due_ms = midnight_ms(self.until.day(), zone) if calibrated else None
        except FieldError as exc:
            self._show_message(str(exc))
            return
        is_later = self.on.day() > from_ms(desk.now_ms(), zone).date()
        at_ms = noon_ms if is_later else min(noon_ms, desk.now_ms())
        words, certificate = self.words.text(), self._certificate if calibrated else None

        def entered() -> None:
            self.words.clear()
            self._drafts.remember(self._draft_key(), "")
            self._certificate = None
            self.attach.setText(tr("Calibration certificate …"))

        self._run_action(
            lambda: note_service(
                desk, known.serial, kind, words, at_ms=at_ms, due_ms=due_ms, certificate=certificate
            ),
            entered,
        )

    def _run_action(
        self, run: Callable[[], object], then: Callable[[], None] = lambda: None
    ) -> None:
        """Do it off the main thread; what was typed stays until it is kept."""

        def done(_: object) -> None:
            self._show_message("")
            then()
            self._context.archive_changed.emit()
            self._load()

        self._acting.do(run, done)

    def save_document(self) -> None:
        """Write the chosen entry's certificate, or the logger's own report, out again."""
        entry = selected_item(self.services)
        name = ""
        if isinstance(entry, StoredReport):
            name = entry.name
        elif isinstance(entry, ServiceEntry):
            name = entry.certificate_name
        if not name or not isinstance(entry, StoredReport | ServiceEntry):
            self._show_message(tr("Select a row with a document first."))
            return
        start = str(sheets_path(self._context.desk) / name)
        path, _ = QFileDialog.getSaveFileName(self, tr("Export the document"), start)
        if path:
            desk = self._context.desk
            self._context.run(
                lambda _task: save_document(desk, entry, Path(path)),
                lambda _: self._context.show_message(tr("%1 saved.").replace("%1", path)),
                failed=self._show_message,
            )

    def _group_typed(self) -> None:
        known = self._life
        if known is not None and self.group.text().strip() != known.pin_group:
            desk, group = self._context.desk, self.group.text()
            self._run_action(lambda: set_pin_group(desk, known.serial, group))

    def retire(self) -> None:
        """Put the logger out of use, or take it up again."""
        if self._life is not None:
            desk, serial = self._context.desk, self._life.serial
            retired = self._life.retired_ms is None
            self._run_action(lambda: retire_logger(desk, serial, retired=retired))


def _zone_of(logger_history: LoggerHistory) -> str:
    """The zone of the site a logger was at last; the computer's where it was at none."""
    return logger_history.missions[0].zone if logger_history.missions else home_zone()


def _launched(mission: PastMission, zone: str) -> str:
    """When a mission was launched; at a site of another zone than the others, that zone too."""
    words = day_and_time(mission.launched_ms, mission.zone)
    return words if mission.zone == zone else f"{words} ({mission.zone})"
