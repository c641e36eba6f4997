"""Taking a text file: the reading proposed beside its raw lines, doubts asked, columns tied."""

from __future__ import annotations

import itertools
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QLineEdit,
    QPlainTextEdit,
    QProgressBar,
    QWidget,
)

from gezeiten.desk.intake.kinds import Recognised, look_at_text, proposed_tie, zones_before
from gezeiten.desk.intake.text_files import Preview, TextTaken, checked_tie, preview, take_text
from gezeiten.desk.intake.text_survey import Survey, survey
from gezeiten.desk.places import points
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import FIXED, SPACES, TextForm, Tie
from gezeiten.exchange.text.proposing import Known
from gezeiten.link.transfer import Progress, Watch
from gezeiten.ui.field.column_ties import ColumnTies
from gezeiten.ui.field.text_read_table import ReadTable
from gezeiten.ui.field.text_words import example_words, left_out_words, survey_words, taken_words
from gezeiten.ui.parts.widgets import (
    button,
    clear,
    column,
    give_room,
    label,
    row,
    scrolled,
    set_role,
)
from gezeiten.ui.plan.section import narrow
from gezeiten.ui.shell.house import House
from gezeiten.ui.shell.i18n import counted, home_zone, tr
from gezeiten.ui.shell.progress import progress_words
from gezeiten.ui.shell.work import Task

_SHOWN_LINES = 40
_LATER_MS = 250
_RIGHT_SIGNS = 46
"""How wide the fields are, in letters."""


class TextDialog(QDialog):
    """taken: TextTaken, once a file is kept."""

    taken = Signal(object)

    def __init__(self, parent: QWidget, house: House, path: Path) -> None:
        super().__init__(parent)
        self._house, self._path = house, path
        self._tie: Tie | None = None
        self._recognised: Recognised | None = None
        self._task: Task | None = None
        self._counting: Task | None = None
        self._open_doubts: set[str] = set()
        self._zones_before: dict[str, str] = {}
        self._zone_accepted = ""
        self.setWindowTitle(tr("Text file: %1").replace("%1", path.name))
        self.resize(1000, 680)
        self._build()
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_LATER_MS)
        self._later.timeout.connect(self._read_anew)
        self._look()

    # -- building --------------------------------------------------------------------------------
    def _build(self) -> None:
        self.raw = QPlainTextEdit()
        self.raw.setReadOnly(True)
        self.raw.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.raw.setAccessibleName(tr("The file as it is"))
        self.raw.setStyleSheet("font-family: monospace;")
        self.read = ReadTable()
        self.doubts = column(spacing=6)
        self.name = QLineEdit()
        self.point = QComboBox()
        self.point.setEditable(True)
        self.zone = QComboBox()
        self.zone.setEditable(True)
        self.delimiter = QComboBox()
        for sign, words in ((",", tr("comma")), (";", tr("semicolon")), ("\t", tr("tab")),
                            (SPACES, tr("blanks")), (FIXED, tr("fixed width"))):  # fmt: skip
            self.delimiter.addItem(words, sign)
        self.starts, self.time_columns = QLineEdit(), QLineEdit()
        self.starts.setToolTip(tr("Where columns of fixed width begin, like 1, 12, 20"))
        self.time_columns.setToolTip(tr("One column, or those of date and time of day, like 1, 2"))
        self.decimal = QComboBox()
        for sign, words in ((".", tr("point")), (",", tr("comma"))):
            self.decimal.addItem(words, sign)
        self.first_line = QLineEdit()
        self.first_line.setValidator(QIntValidator(1, 1_000_000))
        self.pattern = QLineEdit()
        self.pattern.setToolTip(tr("%Y year, %m month, %d day, %j day of the year, %H %M %S time"))
        self.example = label("", "muted", wrap=True)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self.columns = ColumnTies()
        self.columns.changed.connect(self._changed)
        self.words = label("", wrap=True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        self.take = button(tr("Take it into the record"), self._take, "primary")
        self.close_button = button(tr("Close"), self.reject)
        self._lay_out()
        for field in (self.name, self.pattern, self.first_line):
            field.textEdited.connect(self._changed)
        self.point.currentTextChanged.connect(self._changed)
        self.zone.currentTextChanged.connect(lambda _: self._zone_chosen())
        self.decimal.currentIndexChanged.connect(self._changed)
        self.delimiter.activated.connect(lambda _: self._propose_anew(Known(
            delimiter=self.delimiter.currentData())))  # fmt: skip
        self.starts.editingFinished.connect(self._known_better)
        self.time_columns.editingFinished.connect(self._known_better)

    def _lay_out(self) -> None:
        fields = (
            (tr("Name of this kind"), self.name), (tr("Measured at"), self.point),
            (tr("Times are in"), self.zone), (tr("Times are in columns"), self.time_columns),
            (tr("Times are written"), self.pattern), (tr("Between columns"), self.delimiter),
            (tr("Columns begin at"), self.starts), (tr("Decimal sign"), self.decimal),
            (tr("Readings from line"), self.first_line),
        )  # fmt: skip
        for line, (words, field) in enumerate(fields):
            shown = label(words, "muted", whole=True)
            shown.setBuddy(field)
            field.setAccessibleName(words)
            if field is self.starts:
                self._starts_words = shown
            self._grid.addWidget(shown, line, 0)
            self._grid.addWidget(field, line, 1)
        self._grid.addWidget(self.example, len(fields), 0, 1, 2)
        self._grid.setColumnStretch(1, 1)
        left = column(
            label(tr("The file as it is"), "head"), self.raw,
            label(tr("As it is read"), "head"), self.read, spacing=4,
        )  # fmt: skip
        right = QWidget()
        right.setFixedWidth(max(400, self.fontMetrics().averageCharWidth() * _RIGHT_SIGNS))
        for choice in (self.point, self.zone, self.delimiter, self.decimal):
            narrow(choice)
        fields_ = QWidget()
        fields_.setLayout(column(self.doubts, self._grid, label(tr("Columns"), "head"),
                                 self.columns, 1, spacing=8))  # fmt: skip
        right.setLayout(
            column(scrolled(fields_), self.words, self.bar,
                   row(self.take, self.close_button, 1), spacing=8)
        )  # fmt: skip
        self.setLayout(row(left, right, margins=14))
        give_room(self, 0, 1)

    # -- looking ---------------------------------------------------------------------------------
    def _look(self) -> None:
        desk, path = self._house.desk, self._path

        def work(_task: Task) -> tuple[Recognised, list[tuple[str, str]]]:
            known = [(p.full_name, p.zone) for p in points(desk) if not p.retired]
            self._zones_before = zones_before(desk)
            return look_at_text(desk, path), known

        self.take.setEnabled(False)
        self._allow(on=False)  # what were typed now would be lost when the proposal comes
        self.words.setText(tr("Looking at the file ..."))
        self._house.run(work, self._show, failed=self._complain)

    def _allow(self, *, on: bool) -> None:
        for field in (self.name, self.point, self.zone, self.time_columns, self.pattern,
                      self.delimiter, self.starts, self.decimal, self.first_line):  # fmt: skip
            field.setEnabled(on)

    def _known_better(self) -> None:
        """Other columns are the time, or begin elsewhere: propose everything else anew."""
        if self._tie is None or self._task is not None:
            return
        sign = self.delimiter.currentData()
        try:
            starts = _numbers(self.starts.text()) if sign == FIXED else ()
            known = Known(sign, starts, _numbers(self.time_columns.text()))
        except ValueError:
            self._complain(tr("Columns are numbers with commas between them, like 1, 2."))
            return
        form = self._tie.form
        if (known.starts, known.time_columns) != (_starts(form), form.time.columns):
            self._propose_anew(known)

    def _propose_anew(self, known: Known) -> None:
        desk, path = self._house.desk, self._path
        self._house.run(
            lambda _task: look_at_text(desk, path, known), self._show_again,
            failed=self._complain, latest="text look",
        )  # fmt: skip

    def _show_again(self, recognised: Recognised) -> None:
        point, zone, name = (
            self.point.currentText(), self.zone.currentText(), self.name.text()
        )  # fmt: skip
        seen, proposed = recognised.tie, recognised.proposal.form
        if seen is not None and seen.form.time.columns != proposed.time.columns:
            recognised = replace(recognised, tie=None)  # somebody knows better
        self._recognised = recognised
        tie = proposed_tie(recognised, name)
        form = replace(tie.form, time=replace(tie.form.time, zone=zone))
        self._tie = replace(tie, point=point, form=form)
        asked = () if recognised.tie is not None else recognised.doubts
        self._open_doubts = {doubt.kind for doubt in asked if doubt.choices}
        self._show_doubts(self._tie)
        self._show_form(self._tie)
        self.columns.show_tie(self._tie)
        self._changed()

    def _show(self, found: tuple[Recognised, list[tuple[str, str]]]) -> None:
        self._recognised, known = found
        self._allow(on=True)
        self.words.setText("")
        proposal = self._recognised.proposal
        width = len(str(len(proposal.lines)))
        numbered = [f"{i:>{width}}  {text}" for i, text in enumerate(proposal.lines, 1)]
        self.raw.setPlainText("\n".join(numbered[:_SHOWN_LINES]))
        zones = dict.fromkeys([*(zone for _, zone in known), home_zone(), "UTC"])
        self.zone.addItems(["", *zones])
        self.point.addItems(["", *(name for name, _ in known)])
        tie = proposed_tie(self._recognised, self._path.stem)
        self._tie = tie
        if self._recognised.tie is None:
            self._open_doubts = {d.kind for d in self._recognised.doubts if d.choices}
        self._show_doubts(tie)
        self._show_form(tie)
        self.columns.show_tie(tie)
        self._changed()
        (self.point if not tie.point else self.take).setFocus()

    def _show_doubts(self, tie: Tie) -> None:
        """Ask what the text alone does not tell; a kind that is known asks nothing."""
        clear(self.doubts)
        recognised = self._recognised
        if recognised is None:
            return
        if recognised.tie is not None:
            words = tr("Recognised as “%1”.").replace("%1", tie.name)
            self.doubts.addWidget(label(words, "kelp", wrap=True))
            return
        for doubt in recognised.doubts:
            if doubt.choices and doubt.kind not in self._open_doubts:
                continue  # answered
            if doubt.kind == "zone" and self.zone.currentText().strip():
                continue  # chosen
            self.doubts.addWidget(label(tr(doubt.question), "brass", wrap=True))
            if doubt.choices:
                answers = [
                    button(tr(said), partial(self._answer, doubt.kind, value))
                    for value, said in doubt.choices
                ]
                self.doubts.addLayout(row(*answers, 1, spacing=6))

    def _answer(self, kind: str, value: str) -> None:
        """A doubt is settled by its reader."""
        self._open_doubts.discard(kind)
        if kind == "kind" and value:
            self._take_kind()
            return
        if kind == "order":
            self.pattern.setText(value)
        elif kind == "missing":
            if self._tie is not None and value:
                form = self._tie.form
                marks = (*form.missing, *value.split("\n"))
                self._tie = replace(self._tie, form=replace(form, missing=marks))
        elif kind == "decimal":
            self.decimal.setCurrentIndex(self.decimal.findData(value))
        if self._tie is not None:
            self._show_doubts(self._tie)
        self._changed()

    def _take_kind(self) -> None:
        """It is of the kind that it looks like: read as that is."""
        assert self._recognised is not None  # it was asked about
        self._recognised = replace(self._recognised, tie=self._recognised.likely, likely=None)
        self._tie = tie = proposed_tie(self._recognised, self.name.text())
        self._open_doubts = set()
        self._show_doubts(tie)
        self._show_form(tie)
        self.columns.show_tie(tie)
        self._changed()

    def _show_form(self, tie: Tie) -> None:
        form = tie.form
        self.name.setText(tie.name)
        self.point.setCurrentText(tie.point)
        self.zone.setCurrentText(form.time.zone)
        self.zone.setEnabled(form.time.needs_zone)
        self.pattern.setText(form.time.pattern)
        self.delimiter.setCurrentIndex(self.delimiter.findData(form.delimiter))
        self.time_columns.setText(", ".join(str(c + 1) for c in form.time.columns))
        self.starts.setText(", ".join(str(start + 1) for start in _starts(form)))
        for part in (self.starts, self._starts_words):
            part.setVisible(form.delimiter == FIXED)
        self.decimal.setCurrentIndex(self.decimal.findData(form.decimal))
        self.first_line.setText(str(form.first_line))

    # -- the tie as chosen -----------------------------------------------------------------------
    def tie(self) -> Tie | None:
        """Return the tie as it is chosen now."""
        if self._tie is None:
            return None
        old = self._tie.form
        time = replace(old.time, pattern=self.pattern.text().strip(),
                       zone=self.zone.currentText().strip())  # fmt: skip
        form: TextForm = replace(
            old, delimiter=self.delimiter.currentData(), decimal=self.decimal.currentData(),
            first_line=int(self.first_line.text() or 1), time=time,
        )  # fmt: skip
        return Tie(self.name.text(), self.point.currentText(), form, self.columns.ties())

    def _zone_chosen(self) -> None:
        """The question for the zone is answered, or there is one again."""
        if self._tie is not None:
            self._show_doubts(self._tie)
        self._changed()

    def _zone_clash(self, tie: Tie) -> str:
        """Return the zone in which this source was read before, "" where it is the same."""
        before = self._zones_before.get(tie.name.strip(), "")
        zone = tie.form.time.zone
        is_other = bool(before and zone) and tie.form.time.needs_zone and zone != before
        return before if is_other and self._zone_accepted != zone else ""

    def _ask_zone(self, tie: Tie, before: str) -> None:
        """The same source in another zone: its readings would come again at other instants."""
        zone = tie.form.time.zone
        words = tr(
            "“%1” was read in %2 before. In %3, readings that are kept would come again at other "
            "instants."
        )
        for i, value in enumerate((tie.name, before, zone), 1):
            words = words.replace(f"%{i}", value)
        clear(self.doubts)
        self.doubts.addWidget(label(words, "ember", wrap=True))

        def accept() -> None:
            self._zone_accepted = zone
            self._zone_chosen()

        self.doubts.addLayout(
            row(button(tr("As before: %1").replace("%1", before),
                       lambda: self.zone.setCurrentText(before)),
                button(tr("It really is %1").replace("%1", zone), accept), 1, spacing=6)
        )  # fmt: skip

    def _changed(self, *_: object) -> None:
        self._later.start()
        self.take.setEnabled(False)
        self._stop_counting()

    def _stop_counting(self) -> None:
        if self._counting is not None:
            self._counting.cancel()
            self._counting = None

    def _read_anew(self) -> None:
        """Show how the first lines are read, and what is missing before it can be taken."""
        tie, path = self.tie(), self._path
        if tie is None or self._task is not None:
            return
        shown = replace(
            tie,
            form=replace(tie.form, time=replace(tie.form.time, zone=tie.form.time.zone or "UTC")),
        )
        self._house.run(
            lambda _task: preview(path, shown), lambda seen: self._show_read(tie, seen),
            failed=self._complain, latest="text preview",
        )  # fmt: skip

    def _show_read(self, tie: Tie, seen: Preview) -> None:
        zone = tie.form.time.zone or "UTC"
        self.read.show_preview(tie, seen, zone)
        self._show_example(tie, seen, zone)
        complaint = ""
        try:
            checked_tie(tie)
        except InputError as exc:
            complaint = str(exc)
        before = self._zone_clash(tie)
        if before:
            self._ask_zone(tie, before)
        if self._open_doubts or before:
            complaint = tr("Answer the question above first.")
        if not len(seen.times):
            complaint = tr("No line can be read like this.")
        elif not complaint and (seen.rejected or seen.spoilt):
            self.words.setText(left_out_words(seen))
            self._set_role("brass")
        self.take.setEnabled(not complaint)
        if complaint or not (seen.rejected or seen.spoilt):
            self.words.setText(complaint)
            self._set_role("brass")
        if not complaint:
            self._count(tie)

    def _count(self, tie: Tie) -> None:
        """Count what all of the file would bring, and say it."""
        path = self._path
        self._stop_counting()

        def show(found: Survey) -> None:
            if self._counting is not None and not self._counting.cancelled():
                self._counting = None
                self._show_survey(found, tie.form.time.zone or "UTC")

        self._counting = self._house.run(
            lambda task: survey(path, tie, task.cancelled), show, failed=self._complain,
            latest="text survey",
        )  # fmt: skip

    def _show_survey(self, found: Survey, zone: str) -> None:
        is_doubtful = found.seems_wrong or not found.readings
        self.words.setText(survey_words(found, zone))
        self._set_role("ember" if is_doubtful else "brass" if found.left_out else "")
        self.take.setEnabled(not is_doubtful)

    def _set_role(self, role: str) -> None:
        set_role(self.words, role)

    def _show_example(self, tie: Tie, seen: Preview, zone: str) -> None:
        """How the first time is understood, in words: no codes are needed to see that."""
        lines = self._recognised.proposal.lines if self._recognised else ()
        self.example.setText(example_words(tie.form, lines, seen, zone))

    def _complain(self, sentence: str) -> None:
        self._set_role("ember")
        self.words.setText(sentence)

    # -- taking ----------------------------------------------------------------------------------
    def _take(self) -> None:
        tie, desk, path = self.tie(), self._house.desk, self._path
        if tie is None or self._task is not None:
            return
        self.take.setEnabled(False)
        self._stop_counting()
        self.bar.show()

        def work(task: Task) -> TextTaken:
            return take_text(desk, path, tie, Watch(task.tell, task.cancelled))

        self._task = self._house.run(work, self._done, self._told, self._failed)
        self.close_button.setText(tr("Stop"))

    def _told(self, progress: Progress) -> None:
        self.bar.setMaximum(max(progress.of_readings, 1))
        self.bar.setValue(progress.readings)
        self._set_role("")
        self.words.setText(progress_words(tr("taking"), progress))

    def _failed(self, sentence: str) -> None:
        self._over()
        self._complain(sentence)
        self.take.setEnabled(True)

    def _over(self) -> None:
        self._task = None
        self.bar.hide()
        self.close_button.setText(tr("Close"))

    def _done(self, taken: TextTaken) -> None:
        self._over()
        self._set_role("brass" if taken.rejected else "kelp")
        self.words.setText(taken_words(taken))
        if taken.rejected:
            lines = [f"{tr('line')} {r.line}: {r.reason}   {r.text}".rstrip()
                     for r in taken.rejected]  # fmt: skip
            left = taken.rejected_in_all - len(taken.rejected)
            if left > 0:
                lines.append(counted(left, "and %n more", "and %n more"))
            self.raw.setPlainText(tr("Left out:") + "\n" + "\n".join(lines))
        self.taken.emit(taken)
        self.close_button.setFocus()

    def reject(self) -> None:
        self._stop_counting()
        if self._task is not None:
            self._task.cancel()  # nothing of the file is kept then
            return
        super().reject()


def _numbers(text: str) -> tuple[int, ...]:
    """Return numbers from 0 of those from 1 that people write.

    Raises:
        ValueError: they are none.
    """
    numbers = tuple(int(part) - 1 for part in text.replace(" ", "").split(",") if part)
    if any(one < 0 for one in numbers):
        raise ValueError("columns count from 1")
    return numbers


def _starts(form: TextForm) -> tuple[int, ...]:
    """Return where columns of fixed width begin, () for others."""
    return tuple(itertools.accumulate((0, *form.widths[:-1]))) if form.widths else ()
