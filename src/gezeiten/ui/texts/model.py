"""One state of taking a text, which every answer changes: how it is read, what is asked, what
somebody chose; without Qt.

What somebody chose stays when something else is found out anew.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from gezeiten.desk.intake.texts.import_templates import RecognisedText, of_kind, proposed_template
from gezeiten.desk.intake.texts.text_answers import settled
from gezeiten.desk.intake.texts.text_files import Preview, checked_template
from gezeiten.desk.intake.texts.text_survey import Survey, with_values_seen
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import ColumnMapping, Flags, ImportTemplate, TextForm
from gezeiten.exchange.text.layout.cells import flag_questions
from gezeiten.exchange.text.layout.lines import split_line
from gezeiten.exchange.text.proposal import NOTHING_KNOWN, KnownFacts
from gezeiten.exchange.text.questions import STATIONS, FormatQuestion
from gezeiten.exchange.text.stations import names_a_place

TIME, VALUE, UNTIED, FLAGS, NAMES, WORDS = "time", "value", "untied", "flags", "names", "words"
"""What a column is."""
HEAD, BEFORE, READING, LEFT_OUT, SAYS, BLANK = "head", "before", "reading", "skipped", "says", ""
"""What a line is; SAYS: it says something of those after it."""


@dataclass(frozen=True, slots=True)
class ShownLine:
    """A line of the text as it is shown. number: from 1; cells: split, or the whole of it in one;
    spoilt: which of its cells are no numbers; reason: it is left out."""

    number: int
    kind: str
    cells: tuple[str, ...]
    spoilt: frozenset[int] = frozenset()
    reason: str = ""


class TextModel:
    """One text that is about to be taken."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.known: KnownFacts = NOTHING_KNOWN
        self.recognised: RecognisedText | None = None
        self.template: ImportTemplate | None = None
        self.points: list[str] = []
        self.zones_before: dict[str, str] = {}
        self.open: list[FormatQuestion] = []
        self.found: Survey | None = None
        self._answers: dict[tuple[str, int, str], str] = {}
        self._typed: dict[str, str] = {}
        self._zone_accepted = ""
        self._is_other_kind = False

    # -- what was found out ----------------------------------------------------------------------
    def set_recognised(self, recognised: RecognisedText) -> None:
        """Take how the text seems to be written; what somebody chose before stays."""
        if self._is_other_kind and recognised.template is not None:
            recognised = replace(recognised, template=None, questions=())
        if (self.known.station >= 0 or self.known.no_names) and recognised.template is not None:
            recognised = replace(recognised, template=None, questions=())  # somebody knows better
        if (
            self.known.time_columns
            and recognised.template is not None
            and (recognised.template.form.time.columns != recognised.proposal.form.time.columns)
        ):
            recognised = replace(recognised, template=None, questions=())  # somebody knows better
        before, self.recognised = self.template, recognised
        template = proposed_template(recognised, self.path.stem)
        template = template if recognised.template is not None else self._with_places(template)
        self.template = template if before is None else _with_selections(template, before)
        self.open = list(recognised.doubts)
        for doubt in recognised.doubts:
            value = self._answers.get(_key(doubt))
            if value is not None:
                self._settle(doubt, value)
        if self.template.form.time.zone:
            self.open = [doubt for doubt in self.open if doubt.kind != "zone"]
        for field, text in self._typed.items():
            self._set(field, text)

    def _with_places(self, template: ImportTemplate) -> ImportTemplate:
        """Return a tie at the points that its text names."""
        assert self.recognised is not None  # it was looked at
        by_name = _by_name(self.points)
        columns = []
        for column in template.columns:
            station = next((text for _, text in column.where if text.casefold() in by_name), "")
            its = column.label or station
            point = by_name.get(its.casefold(), "")
            columns.append(replace(column, point=point, label="") if point and its else column)
        said = {
            by_name[text.casefold()]
            for _, text in self.recognised.proposal.facts
            if text.casefold() in by_name
        }
        point = said.pop() if len(said) == 1 else template.point
        return replace(template, point=point, columns=tuple(columns))

    # -- what somebody chooses -------------------------------------------------------------------
    def set_field(self, field: str, text: str) -> None:
        """Take what was chosen or typed. field: "name", "point", "zone", "pattern", "decimal" or
        "first_line"."""
        if field in ("pattern", "decimal", "first_line"):
            self._typed[field] = text
        if field == "zone":
            self.open = [d for d in self.open if d.kind != "zone" or not text.strip()]
        self._set(field, text)

    def _set(self, field: str, text: str) -> None:
        if self.template is None:
            return
        form = self.template.form
        if field == "name":
            self.template = replace(self.template, name=text)
        elif field == "point":
            self.template = replace(self.template, point=text)
        elif field == "zone":
            form = replace(form, time=replace(form.time, zone=text.strip()))
        elif field == "pattern":
            form = replace(form, time=replace(form.time, pattern=text.strip()))
        elif field == "decimal":
            form = replace(form, decimal=text)
        elif field == "first_line" and text.isdigit() and int(text):
            form = replace(form, first_line=int(text))
        self.template = replace(self.template, form=form)

    def set_column(self, mapping: ColumnMapping) -> None:
        """Take what a column measures now, and where it belongs."""
        if self.template is None:
            return
        key = (mapping.column, mapping.where)
        columns = [mapping if (c.column, c.where) == key else c for c in self.template.columns]
        if all((c.column, c.where) != key for c in columns):
            columns.append(mapping)
        self.template = replace(self.template, columns=tuple(columns))

    def exclude_column(self, column: int) -> None:
        """A column is no values."""
        if self.template is None:
            return
        for one in self.template.columns:
            if one.column == column:
                self.set_column(replace(one, quantity="", unit=""))

    def set_known(self, **what: object) -> None:
        """Take what somebody knows of the text itself: it is looked at anew then."""
        if "delimiter" in what or "opening" in what:
            self._typed.pop("first_line", None)
        self._typed.pop("pattern", None)
        self.known = replace(self.known, **what)  # type: ignore[arg-type]

    def be_time(self, column: int, *, alone: bool) -> None:
        """A column is the time, alone or with those that are it already."""
        before = () if alone or self.template is None else self.template.form.time.columns
        columns = tuple(dict.fromkeys([*before, column]))
        own = self.template.form.columns if self.template is not None else 0
        self.set_known(time_columns=tuple(c for c in columns if c < own))

    def be_station(self, column: int) -> None:
        """A column names the station of each line."""
        others = tuple(c for c in self.known.no_names if c != column)
        self.set_known(station=column, no_names=others)

    def be_no_station(self, column: int) -> None:
        """A column does not name stations, nor what is measured."""
        station = -1 if self.known.station == column else self.known.station
        self.set_known(station=station, no_names=(*self.known.no_names, column))

    def be_no_value(self, number: str) -> None:
        """A number means that there is no value."""
        if self.template is not None and number.strip():
            missing = tuple(dict.fromkeys([*self.form.missing, number.strip()]))
            self.template = replace(self.template, form=replace(self.form, missing=missing))

    def be_flags(self, column: int) -> None:
        """A column holds flags of the column before it."""
        if self.template is None:
            return
        self.exclude_column(column)
        of = max((c.column for c in self.template.columns if c.column < column), default=-1)
        others = tuple(flag for flag in self.template.form.flags if flag.column != column)
        if of >= 0:
            flags = (*others, Flags(column, (of,)))
            self.template = replace(self.template, form=replace(self.template.form, flags=flags))
            self._request_flags(column)

    def _request_flags(self, column: int) -> None:
        said = Counter(
            line.cells[column]
            for line in self.lines(None)
            if line.kind == READING and column < len(line.cells)
        )
        header = self.form.header
        format_questions = flag_questions(
            column, header[column] if column < len(header) else "", said
        )
        kinds = {format_question.kind for format_question in format_questions}
        self.open = [d for d in self.open if not (d.kind in kinds and d.about == column)]
        self.open += format_questions

    def answer(self, doubt: FormatQuestion, value: str) -> bool:
        """Take an answer; return whether the text has to be looked at anew by it."""
        if doubt.kind == "words" and value == STATIONS:
            self.be_station(doubt.about)
            return True
        self._answers[_key(doubt)] = value
        self._settle(doubt, value)
        return False

    def surveyed(self, survey: Survey) -> None:
        """Take what all lines hold: what nobody was asked about yet is asked now."""
        self.found = survey
        self.open += [doubt for doubt in survey.doubts if doubt not in self.open]

    def forget_survey(self) -> None:
        """The text is read otherwise now: questions about what all lines hold come anew."""
        known = set(self.found.doubts) if self.found is not None else set()
        self.found = None
        self.open = [doubt for doubt in self.open if doubt not in known]

    @property
    def to_import(self) -> ImportTemplate | None:
        """The tie to import by, which holds what was seen; None before all lines were read."""
        if self.template is None or self.found is None:
            return None
        return with_values_seen(self.template, self.found)

    def _settle(self, doubt: FormatQuestion, value: str) -> None:
        self.open = [one for one in self.open if one != doubt]
        if self.template is None or self.recognised is None:
            return
        if doubt.kind == "kind":
            likely = self.recognised.similar
            if value and likely is not None:
                self.recognised = of_kind(self.path, self.recognised.proposal, likely)
                self.template = self.recognised.template
                self.open = list(self.recognised.questions)
            return
        self.template = settled(self.template, doubt, value)
        if doubt.kind in ("order", "period"):
            self._typed.pop("pattern", None)

    def be_other_kind(self) -> None:
        """It is not of the kind that it was taken for."""
        self._is_other_kind = True

    def accept_zone(self) -> None:
        """The zone is another one than that of texts of this kind before, and is meant."""
        if self.template is not None:
            self._zone_accepted = self.template.form.time.zone

    # -- what follows ----------------------------------------------------------------------------
    @property
    def form(self) -> TextForm:
        """How it is read now."""
        assert self.template is not None  # it was looked at
        return self.template.form

    @property
    def places_in_head(self) -> list[str]:
        """Where the head says that this was measured, while nobody chose a point."""
        if self.recognised is None or self.template is None or self.template.point.strip():
            return []
        return [text for words, text in self.recognised.proposal.facts if names_a_place(words)]

    @property
    def trial(self) -> ImportTemplate | None:
        """The tie to try with: times in UTC where nobody said their zone yet."""
        if self.template is None:
            return None
        time = self.template.form.time
        zoned = replace(time, zone=time.zone or "UTC")
        return replace(self.template, form=replace(self.template.form, time=zoned))

    @property
    def zone_clash(self) -> str:
        """The zone in which this source was read before, "" where it is the same or accepted."""
        if self.template is None or not self.template.form.time.needs_zone:
            return ""
        before = self.zones_before.get(self.template.name.strip(), "")
        zone = self.template.form.time.zone
        return before if before and zone and zone not in (before, self._zone_accepted) else ""

    @property
    def complaint(self) -> str:
        """Why it cannot be taken yet, "" where it can."""
        if self.template is None:
            return ""
        if any(doubt.choices for doubt in self.open) or self.zone_clash:
            return "Answer the question above first."
        try:
            checked_template(self.template)
        except InputError as exc:
            return str(exc)
        return ""

    def role(self, column: int) -> str:
        """Return what a column is."""
        form = self.form
        if column in form.time.columns:
            return TIME
        if any(column == flags.column for flags in form.flags):
            return FLAGS
        its = (
            [one for one in self.template.columns if one.column == column] if self.template else []
        )
        if its:
            return VALUE if any(one.quantity for one in its) else UNTIED
        if self.template and any(
            column == c for one in self.template.columns for c, _ in one.where
        ):
            return NAMES
        return WORDS

    def of_column(self, column: int) -> list[ColumnMapping]:
        """Return what a column measures: several where its lines are of several stations."""
        return (
            [one for one in self.template.columns if one.column == column] if self.template else []
        )

    def lines(self, preview: Preview | None) -> list[ShownLine]:
        """Return the first lines as they are understood. preview: what they gave, where known."""
        if self.recognised is None or self.template is None:
            return []
        form, proposal = self.form, self.recognised.proposal
        why = (
            {rejected_line.line: rejected_line.reason for rejected_line in preview.rejected}
            if preview
            else {}
        )
        spoilt = {one.line: one.reason for one in preview.spoilt} if preview else {}
        known = set(preview.lines.tolist()) if preview else set()
        shown = []
        for number, text in enumerate(proposal.lines, 1):
            cells = tuple(split_line(text, form)) if text.strip() else ()
            is_whole = len(cells) == form.columns or (form.ragged and 1 < len(cells) < form.columns)
            kind = _kind(number, form, proposal.head_rows, cells, is_whole=is_whole, why=why)
            if (
                kind == READING
                and preview is not None
                and number not in known
                and len(known) < 1_000
            ):
                kind = SAYS if form.beside or self.template.columns[0].where else kind
            if not is_whole:
                cells = (text.strip(),)
            bad = _spoilt_cells(spoilt[number], cells) if number in spoilt else frozenset()
            shown.append(ShownLine(number, kind, cells, bad, why.get(number, "")))
        return shown


def _with_selections(template: ImportTemplate, before: ImportTemplate) -> ImportTemplate:
    """Return how a text is read now, at the places and with the meanings chosen for what is still
    the same: columns with the same words above them."""
    old, new = before.form, template.form

    def above(form: TextForm, column: int) -> str:
        return form.header[column] if column < len(form.header) else str(column)

    selected = {
        (one.column, one.where): one
        for one in before.columns
        if above(old, one.column) == above(new, one.column)
    }
    columns = [selected.pop((one.column, one.where), one) for one in template.columns]
    own = [
        one
        for one in selected.values()
        if not one.where and one.column < new.columns and one.column not in new.time.columns
    ]
    time = replace(new.time, zone=old.time.zone or new.time.zone)
    return replace(
        template,
        name=before.name,
        point=before.point,
        columns=(*columns, *own),
        form=replace(new, time=time),
    )


def _kind(
    number: int,
    form: TextForm,
    head_rows: Iterable[int],
    cells: tuple[str, ...],
    *,
    is_whole: bool,
    why: dict[int, str],
) -> str:
    if not cells:
        return BLANK
    if number - 1 in head_rows:
        return HEAD
    if number < form.first_line:
        return BEFORE
    if number in why:
        return LEFT_OUT
    return READING if is_whole else SAYS


def _spoilt_cells(reason: str, cells: tuple[str, ...]) -> frozenset[int]:
    return frozenset(
        i for i, cell in enumerate(cells) if cell and f"“{cell[:30]}” in column {i + 1} " in reason
    )


def _key(doubt: FormatQuestion) -> tuple[str, int, str]:
    return doubt.kind, doubt.about, doubt.question


def _by_name(points: list[str]) -> dict[str, str]:
    """Return points by their whole names, and by their own where that is the only one so called."""
    found = {name.casefold(): name for name in points}
    own = [name.rpartition(" · ")[2].casefold() for name in points]
    found |= {short: name for short, name in zip(own, points, strict=True) if own.count(short) == 1}
    return found
