"""Taking a text file in one dialog, all parts of which show one form.

The file as a sheet with what was understood marked in it, pictures of what it holds beside it,
questions where it does not say something by itself.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint, QTimer, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QLineEdit,
    QMenu,
    QPlainTextEdit,
    QProgressBar,
    QSplitter,
    QWidget,
)

from gezeiten.desk.intake.texts.import_templates import (
    RecognisedText,
    previous_zones,
    recognise_text,
)
from gezeiten.desk.intake.texts.imported_texts import remove_text
from gezeiten.desk.intake.texts.text_files import Preview, TextImport, import_text, preview
from gezeiten.desk.intake.texts.text_survey import Survey, survey
from gezeiten.desk.sites.places import points
from gezeiten.exchange.text.form import ColumnMapping
from gezeiten.exchange.text.questions import FormatQuestion
from gezeiten.link.transfer import Progress, Watch
from gezeiten.ui.format.i18n import home_zone, tr
from gezeiten.ui.format.progress import progress_text
from gezeiten.ui.parts.widgets import button, column, give_room, label, row, scrolled, set_role
from gezeiten.ui.plan.section import narrow
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.texts.manual_form import ManualForm
from gezeiten.ui.texts.marked_view import MarkedView
from gezeiten.ui.texts.model import TextModel
from gezeiten.ui.texts.questions import Questions
from gezeiten.ui.texts.sentences import (
    example_text,
    skipped_lines,
    skipped_text,
    survey_text,
    taken_words,
)
from gezeiten.ui.texts.series_rows import SeriesRows
from gezeiten.ui.work.work_queue import Task

_LATER_MS = 250
_WIDE_PX, _HIGH_PX, _NARROW_PX, _LOW_PX, _FRAME_PX = 1180, 720, 1000, 640, 120
"""How large it is where there is room, and at least."""
_RIGHT_SIGNS = 60
"""How wide the fields are, in letters."""
_MOST_FACTS = 6
_AT = "at:"
_AS_BEFORE, _AS_CHOSEN, _NO_KIND = "as before", "as chosen", "no template"


class TextDialog(QDialog):
    """taken: TextTaken, once a file is kept."""

    taken = Signal(object)

    def __init__(self, parent: QWidget, context: AppContext, path: Path) -> None:
        super().__init__(parent)
        self._context, self._path = context, path
        self.model = TextModel(path)
        self._task: Task | None = None
        self._counting: Task | None = None
        self._seen: Preview | None = None
        self._sha256 = ""
        self.setWindowTitle(tr("Text file: %1").replace("%1", path.name))
        room = self.screen().availableSize()
        self.resize(
            min(_WIDE_PX, max(room.width(), _NARROW_PX)),
            min(_HIGH_PX, max(room.height() - _FRAME_PX, _LOW_PX)),
        )
        self._build()
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_LATER_MS)
        self._later.timeout.connect(self._reread)
        self._load(is_first=True)

    # -- building --------------------------------------------------------------------------------
    def _build(self) -> None:
        self.sheet = MarkedView(self.model)
        self.sheet.asked.connect(self._select_column)
        self.left_out = QPlainTextEdit()
        self.left_out.setReadOnly(True)
        self.left_out.setAccessibleName(tr("Skipped lines"))
        self.left_out.hide()
        self.questions = Questions()
        self.questions.answered.connect(self._answer)
        self.questions.wanted.connect(self._request_field)
        self.name = QLineEdit()
        self.point, self.zone, self.inside = QComboBox(), QComboBox(), QComboBox()
        for box in (self.point, self.zone):
            box.setEditable(True)
        for box in (self.point, self.zone, self.inside):
            narrow(box)
        self.example = label("", "muted", wrap=True)
        self.by_hand = ManualForm()
        self.series = SeriesRows()
        self.series.changed.connect(self._column_changed)
        self.words = label("", wrap=True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        self.take = button(tr("Import"), self._import, "primary")
        self.take_back = button(tr("Remove from record"), self._undo_import)
        self.take_back.hide()
        self.close_button = button(tr("Close"), self.reject)
        self._build_layout()
        self.name.textEdited.connect(lambda text: self._field_changed("name", text))
        self.point.currentTextChanged.connect(lambda text: self._field_changed("point", text))
        self.zone.currentTextChanged.connect(lambda text: self._field_changed("zone", text))
        self.inside.activated.connect(
            lambda _: self._set_known({"opening": self.inside.currentData()})
        )
        self.by_hand.said.connect(self._field_changed)
        self.by_hand.known.connect(self._set_known)
        self.by_hand.wrong.connect(self._complain)

    def _build_layout(self) -> None:
        fields = (
            (tr("Preview"), self.inside),
            (tr("Template name"), self.name),
            (tr("Measured at"), self.point),
            (tr("Times are in"), self.zone),
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for line, (words, field) in enumerate(fields):
            shown = label(words, "muted", whole=True)
            shown.setBuddy(field)
            field.setAccessibleName(words)
            if field is self.inside:
                self._inside_words = shown
            grid.addWidget(shown, line, 0)
            grid.addWidget(field, line, 1)
        grid.setColumnStretch(1, 1)
        for part in (self.inside, self._inside_words):
            part.hide()
        about = QWidget()
        about.setLayout(
            column(
                self.questions,
                grid,
                self.example,
                label(tr("Series"), "head"),
                self.series,
                self.by_hand,
                1,
                spacing=8,
            )
        )
        right = QWidget()
        pressed = row(self.take, self.take_back, self.close_button, 1)
        right.setLayout(column(scrolled(about), self.words, self.bar, pressed, spacing=8))
        right.setMinimumWidth(self.fontMetrics().averageCharWidth() * _RIGHT_SIGNS)
        left = QWidget()
        hint = tr("As interpreted. Click a column head to change its meaning.")
        left.setLayout(
            column(label(hint, "muted", wrap=True), self.sheet, self.left_out, spacing=6)
        )
        split = QSplitter()
        split.setChildrenCollapsible(False)
        split.addWidget(left)
        split.addWidget(right)
        split.setStretchFactor(0, 1)
        self.setLayout(row(split, margins=14))
        give_room(self, 0, 1)

    # -- looking ---------------------------------------------------------------------------------
    def _load(self, *, is_first: bool = False) -> None:
        desk, path, known = self._context.desk, self._path, self.model.known

        def work(_task: Task) -> tuple[RecognisedText, list[tuple[str, str]], dict[str, str]]:
            places = [(p.full_name, p.zone) for p in points(desk) if not p.retired]
            return recognise_text(desk, path, known), places, previous_zones(desk)

        if is_first:
            self.take.setEnabled(False)
            self._allow(on=False)  # what were typed now would be lost when the proposal comes
            self.words.setText(tr("Reading the file …"))
        self._context.run(work, self._show_loaded, failed=self._complain, latest="text look")

    def _allow(self, *, on: bool) -> None:
        for field in (self.name, self.point, self.zone, self.by_hand):
            field.setEnabled(on)

    def _show_loaded(
        self, found: tuple[RecognisedText, list[tuple[str, str]], dict[str, str]]
    ) -> None:
        recognised, places, before = found
        is_first = self.model.recognised is None
        self.model.points = [name for name, _ in places]
        self.model.zones_before = before
        self.model.set_recognised(recognised)
        if is_first:
            self._offer(places)
            self._allow(on=True)
        self._show()
        if is_first:
            template = self.model.template
            (self.point if template is not None and not template.point else self.take).setFocus()

    def _offer(self, places: list[tuple[str, str]]) -> None:
        """Fill the lists of points, zones and of what the file holds."""
        zones = dict.fromkeys([*(zone for _, zone in places), home_zone(), "UTC"])
        for box, names in ((self.zone, zones), (self.point, dict(places))):
            box.blockSignals(True)
            box.addItems(["", *names])
            box.blockSignals(False)
        assert self.model.recognised is not None  # it was looked at
        proposal = self.model.recognised.proposal
        for opening, words in proposal.others:
            self.inside.addItem(words, opening)
        self.inside.setCurrentIndex(
            self.inside.findText(
                next((words for one, words in proposal.others if one == proposal.form.opening), "")
            )
        )
        for part in (self.inside, self._inside_words):
            part.setVisible(self.inside.count() > 1)

    # -- showing ---------------------------------------------------------------------------------
    def _show(self) -> None:
        """Show the text as it is read now; a field in which somebody types stays."""
        template = self.model.template
        if template is None:
            return
        form = template.form
        for field, text in ((self.point, template.point), (self.zone, form.time.zone)):
            if field.currentText() != text:
                field.blockSignals(True)
                field.setCurrentText(text)
                field.blockSignals(False)
        if self.name.text() != template.name:
            self.name.setText(template.name)
        self.zone.setEnabled(form.time.needs_zone)
        self.by_hand.show_form(form)
        self.series.show_model(self.model, self._context.theme)
        self._show_questions()
        self._show_sheet()
        self.take.setEnabled(False)
        self._stop_counting()
        self._later.start()

    def _show_sheet(self) -> None:
        lines = self.model.lines(self._seen)
        self.sheet.show_lines(lines, self.model.form.columns, self._context.theme)

    def _show_questions(self) -> None:
        recognised, template = self.model.recognised, self.model.template
        if recognised is None or template is None:
            return
        notes: list[tuple[str, str]] = []
        actions: list[tuple[str, tuple[tuple[str, str], ...]]] = []
        if recognised.template is not None:
            notes.append((tr("Recognised as “%1”.").replace("%1", template.name), "kelp"))
            actions.append(("", ((_NO_KIND, tr("Another template")),)))
        facts = recognised.proposal.facts
        if facts and recognised.template is None:
            said = "; ".join(f"{words}: {text}" for words, text in facts[:_MOST_FACTS])
            notes.append((tr("File header: %1").replace("%1", said), "muted"))
        places = self.model.places_in_head[:_MOST_FACTS]
        if places:
            actions.append(
                (tr("Where was it measured?"), tuple((f"{_AT}{place}", place) for place in places))
            )
        if recognised.fresh:
            words = tr("New in this file and skipped until it is assigned: %1.")
            notes.append((words.replace("%1", ", ".join(recognised.fresh)), "brass"))
        before = self.model.zone_clash
        if before:
            words = tr(
                "Readings of “%1” were imported before in %2. In %3 the same file would "
                "be imported again with other times."
            )
            zone = template.form.time.zone
            words = words.replace("%1", template.name).replace("%2", before).replace("%3", zone)
            actions.append(
                (
                    words,
                    (
                        (_AS_BEFORE, tr("As before: %1").replace("%1", before)),
                        (_AS_CHOSEN, tr("%1 is right").replace("%1", zone)),
                    ),
                )
            )
        self.questions.show_doubts(self.model.open, notes, actions)

    # -- what somebody chooses -------------------------------------------------------------------
    def _field_changed(self, field: str, text: str) -> None:
        self.model.set_field(field, text)
        if field == "missing":
            self.model.be_no_value(text)
        if field in ("name", "point"):
            self._changed(is_read_so=True)
        else:
            self._changed()

    def _changed(self, *, is_read_so: bool = False) -> None:
        """Show the text as it is read now. is_read_so: its lines are read as before."""
        if not is_read_so:
            self.model.forget_survey()
        if self.model.template is None or self._task is not None:
            return
        self._show()

    def _column_changed(self, mapping: ColumnMapping) -> None:
        self.model.set_column(mapping)
        self._changed()

    def _answer(self, doubt: FormatQuestion, value: str) -> None:
        if self.model.answer(doubt, value):
            self._load()
            return
        self._changed(is_read_so=True)  # other questions stay while its lines are read again

    def _request_field(self, name: str) -> None:
        if name == _AS_BEFORE:
            self.model.set_field("zone", self.model.zone_clash)
        elif name.startswith(_AT):
            self.model.set_field("point", name.removeprefix(_AT))
        elif name == _AS_CHOSEN:
            self.model.accept_zone()
        else:
            self.model.be_other_kind()
            self._load()
            return
        self._changed()

    def _set_known(self, what: dict[str, object]) -> None:
        if self._task is None:
            self.model.set_known(**what)
            self._load()

    def _select_column(self, number: int) -> None:
        """Let somebody say what a column is."""
        if self.model.template is None or self._task is not None:
            return
        menu = self.column_menu(number)
        port = self.sheet.viewport()
        at = QPoint(max(self.sheet.columnViewportPosition(number), 0), 0)
        menu.popup(port.mapToGlobal(at))

    def column_menu(self, number: int) -> QMenu:
        """Return what a column may be."""
        menu = QMenu(self)
        menu.setTitle(tr("Column %1").replace("%1", str(number + 1)))
        choices = (
            (tr("This column is the time"), lambda: self._be_time(number, alone=True)),
            (tr("Part of the time"), lambda: self._be_time(number, alone=False)),
            (tr("Values: choose the quantity"), lambda: self._be_values(number)),
            (
                tr("Flags for the values before it"),
                lambda: self._be(self.model.be_flags, number),
            ),
            (
                tr("Station name of each line"),
                lambda: self._reload_with(self.model.be_station, number),
            ),
            (
                tr("Not a station name"),
                lambda: self._reload_with(self.model.be_no_station, number),
            ),
            (tr("Skip column"), lambda: self._be(self.model.exclude_column, number)),
        )
        for words, wanted in choices:
            action = QAction(words, menu)
            action.triggered.connect(lambda _=False, wanted=wanted: wanted())
            menu.addAction(action)
        return menu

    def _be_time(self, number: int, *, alone: bool) -> None:
        self.model.be_time(number, alone=alone)
        self._load()

    def _reload_with(self, run: Callable[[int], None], number: int) -> None:
        run(number)
        self._load()

    def _be(self, action: object, number: int) -> None:
        assert callable(action)  # one of the model's
        action(number)
        self._changed()

    def _be_values(self, number: int) -> None:
        """Show the fields of a column's first series, which may be new."""
        if not self.model.of_column(number):
            self.model.set_column(ColumnMapping(number, "", ""))
            self._changed()
        for (column_, *_), its in self.series.rows.items():
            if column_ == number:
                its.what.setFocus()
                return

    # -- trying ----------------------------------------------------------------------------------
    def _stop_counting(self) -> None:
        if self._counting is not None:
            self._counting.cancel()
            self._counting = None

    def _reread(self) -> None:
        """Read the first lines, say what is missing before it can be taken."""
        trial, path = self.model.trial, self._path
        if trial is None or self._task is not None:
            return
        self._context.run(
            lambda _task: preview(path, trial),
            self._show_read,
            failed=self._unread,
            latest="text preview",
        )

    def _unread(self, sentence: str) -> None:
        self._complain(sentence)
        self.take.setEnabled(False)

    def _show_read(self, seen: Preview) -> None:
        template = self.model.template
        if template is None:
            return
        self._seen = seen
        self._show_sheet()
        self.series.show_preview(self.model, seen)
        zone = template.form.time.zone or "UTC"
        lines = self.model.recognised.proposal.lines if self.model.recognised else ()
        self.example.setText(example_text(template.form, lines, seen, zone))
        complaint = tr(self.model.complaint)
        if not len(seen.times) and all(one.kind == "time" for one in self.model.open):
            complaint = tr("No line can be read this way; click the column of the times.")
        is_partly = bool(seen.rejected or seen.spoilt)
        reading = tr("Reading all lines …")
        self.words.setText(complaint or (skipped_text(seen) if is_partly else reading))
        set_role(self.words, "brass" if complaint or is_partly else "")
        self.take.setEnabled(False)  # until all lines were looked at
        if not complaint:
            self._count()

    def _count(self) -> None:
        """Count what all of the file would bring, and say it."""
        path, template, recognised = self._path, self.model.trial, self.model.recognised
        if template is None or recognised is None:
            return
        self._stop_counting()
        zone, seen_words = template.form.time.zone, recognised.proposal.words_by_column
        now_ms = self._context.desk.now_ms()

        def show(found: Survey) -> None:
            if self._counting is not None and not self._counting.cancelled():
                self._counting = None
                self._show_survey(found, zone)

        self._counting = self._context.run(
            lambda task: survey(path, template, now_ms, task.cancelled, seen_words),
            show,
            failed=self._complain,
            latest="text survey",
        )

    def _show_survey(self, found: Survey, zone: str) -> None:
        is_doubtful = found.has_many_duplicates or not found.readings
        self.model.surveyed(found)
        self.words.setText(survey_text(found, zone))
        set_role(self.words, "ember" if is_doubtful else "brass" if found.rejected else "")
        if found.doubts:
            self.words.setText(tr("All lines were read; answer the question above first."))
            set_role(self.words, "brass")
            self._show_questions()
        self.take.setEnabled(not is_doubtful and not self.model.complaint)

    def _complain(self, sentence: str) -> None:
        set_role(self.words, "ember")
        self.words.setText(sentence)

    # -- taking ----------------------------------------------------------------------------------
    def _import(self) -> None:
        template, desk, path = self.model.to_import, self._context.desk, self._path
        if template is None or self._task is not None:
            return
        self.take.setEnabled(False)
        self._stop_counting()
        self.bar.show()

        def work(task: Task) -> TextImport:
            return import_text(desk, path, template, Watch(task.report, task.cancelled))

        self._task = self._context.run(work, self._done, self._show_result, self._failed)
        self.close_button.setText(tr("Stop"))

    def _show_result(self, progress: Progress) -> None:
        self.bar.setMaximum(max(progress.of_readings, 1))
        self.bar.setValue(progress.readings)
        set_role(self.words, "")
        self.words.setText(progress_text(tr("importing"), progress))

    def _failed(self, sentence: str) -> None:
        self._over()
        self._complain(sentence)
        self.take.setEnabled(True)

    def _over(self) -> None:
        self._task = None
        self.bar.hide()
        self.close_button.setText(tr("Close"))

    def _done(self, imported: TextImport) -> None:
        self._over()
        set_role(self.words, "brass" if imported.rejected else "kelp")
        self.words.setText(taken_words(imported))
        if imported.rejected:
            self.left_out.setPlainText(skipped_lines(imported))
            self.left_out.show()
        self._sha256 = next((one.sha256 for one in imported.parts if one.sha256), "")
        self.take_back.setVisible(bool(self._sha256))
        self.taken.emit(imported)
        self.close_button.setFocus()

    def _undo_import(self) -> None:
        """What was just taken was not meant so."""
        desk, sha256 = self._context.desk, self._sha256
        self.take_back.hide()

        def done(_: object) -> None:
            self._context.archive_changed.emit()
            set_role(self.words, "")
            self.words.setText(tr("Removed from the record; the file stays in the vault."))
            self.take.setEnabled(True)

        self._context.run(
            lambda _task: remove_text(desk, sha256, tr("at once")), done, failed=self._complain
        )

    def reject(self) -> None:
        self._stop_counting()
        if self._task is not None:
            self._task.cancel()  # nothing of the file is kept then
            return
        super().reject()
