"""A text and what is asked about it, without a window: answers by the names of questions, until
none is open. The command line imports by this."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.intake.texts.import_templates import (
    RecognisedText,
    of_kind,
    proposed_template,
    recognise_text,
    stored_templates,
)
from gezeiten.desk.intake.texts.text_survey import Survey, survey
from gezeiten.desk.sites.places import points
from gezeiten.domain.quantities.quantities import QUANTITIES, quantity
from gezeiten.domain.quantities.units import text_unit, text_units
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate
from gezeiten.exchange.text.proposal import NOTHING_KNOWN, KnownFacts
from gezeiten.exchange.text.questions import ADD, STATIONS, TYPED, FormatQuestion, apply_answer

_MOST_ROUNDS = 8


@dataclass(frozen=True, slots=True)
class TextQuestion:
    """Something that a text leaves open. id: by which it is answered; choices: (value, how people
    say it); is_typed: whether something else may be said; several: whether several values may be
    chosen, with commas between."""

    id: str
    question: str
    choices: tuple[tuple[str, str], ...] = ()
    is_typed: bool = False
    several: bool = False


@dataclass(slots=True)
class TextOutlook:
    """What importing a text would bring, and what is open. survey: in all of its lines, None while
    these cannot be read; unused: ids of answers to nothing that was asked."""

    path: Path
    template: ImportTemplate
    questions: list[TextQuestion]
    survey: Survey | None = None
    unused: tuple[str, ...] = ()
    unused_columns: list[str] = field(default_factory=list)


def settled(template: ImportTemplate, doubt: FormatQuestion, value: str) -> ImportTemplate:
    """Return a tie once a question is answered ("kind" and "inside" change more than a tie)."""
    if doubt.kind == "names":
        return replace(template, columns=(*template.columns, *_of_new_name(template, doubt, value)))
    return replace(template, form=apply_answer(template.form, doubt, value))


def _of_new_name(
    template: ImportTemplate, doubt: FormatQuestion, value: str
) -> list[ColumnMapping]:
    """Return what the columns of lines of a new name measure: what they measure in those that have
    another name in one place alone; nothing where they are left out."""
    new: dict[int, ColumnMapping] = {}
    for column in template.columns:
        plain = ColumnMapping(column.column, "", "", doubt.where)
        new.setdefault(column.column, plain)
        differ = [a for a, b in zip(column.where, doubt.where, strict=False) if a != b]
        if (
            value == ADD
            and len(differ) == 1
            and column.quantity
            and not new[column.column].quantity
        ):
            label = " · ".join(text for place, text in doubt.where if place == differ[0][0])
            new[column.column] = replace(
                plain, quantity=column.quantity, unit=column.unit, label=label
            )
    return list(new.values())


def preview_import(
    desk: Workspace, path: Path, answers: Mapping[str, str], kind: str = ""
) -> TextOutlook:
    """Return what importing a text would bring after these answers, and what is still open.

    Args:
        answers: by the id of its question; kind: the import template that the text is said to be
            of, "" to find it out.

    Raises:
        InputError: the text cannot be read, or an answer is none of its choices.
    """
    session = _Session(desk, path, dict(answers), kind)
    return session.outlook()


class _Session:
    """Goes through the questions about one text."""

    def __init__(self, desk: Workspace, path: Path, answers: dict[str, str], kind: str) -> None:
        self._desk, self._path, self._answers, self._kind = desk, path, answers, kind
        self._used: set[str] = set()
        self._known: KnownFacts = NOTHING_KNOWN

    def outlook(self) -> TextOutlook:
        for _ in range(_MOST_ROUNDS):
            recognised = self._recognised()
            text_outlook = self._outlook_after(recognised)
            if text_outlook is not None:
                return text_outlook
        raise InputError(f"{self._path.name} raises too many questions; import it in the window.")

    def _recognised(self) -> RecognisedText:
        recognised = recognise_text(self._desk, self._path, self._known)
        wanted = self._kind
        if not wanted and recognised.similar is not None:
            wanted = self._answers.get("kind", "")
            self._used.add("kind")
        if not wanted:
            return recognised
        template = next(
            (template for template in stored_templates(self._desk) if template.name == wanted), None
        )
        if template is None:
            raise InputError(f"There is no import template “{wanted}”; check its name.")
        return of_kind(self._path, recognised.proposal, template)

    def _outlook_after(self, recognised: RecognisedText) -> TextOutlook | None:
        """Return the outlook, None where an answer has the text looked at anew."""
        template = self._named(proposed_template(recognised, self._path.stem))
        open_: list[TextQuestion] = []
        template = self._settled(template, list(recognised.doubts), open_)
        template = self._columns(template, open_)
        found: Survey | None = None
        for _ in range(_MOST_ROUNDS):
            found = survey(
                self._path,
                _trial(template),
                self._desk.now_ms(),
                seen_words=recognised.proposal.words_by_column,
            )
            more: list[TextQuestion] = []
            after = self._settled(template, found.doubts, more)
            if self._known.station >= 0 and not any(column.where for column in after.columns):
                return None
            if after == template:
                asked = {question.id for question in more}  # once more, with all lines in sight
                open_ = [question for question in open_ if question.id not in asked] + more
                break
            template = after
        if found is not None and found.has_many_duplicates:
            open_.append(
                TextQuestion(
                    "time",
                    "Many lines have the same time as another, so the time is not read "
                    "correctly; import the file in the window.",
                )
            )
        unused = tuple(sorted(set(self._answers) - self._used))
        return TextOutlook(self._path, template, open_, found, unused, _unused_columns(template))

    def _named(self, template: ImportTemplate) -> ImportTemplate:
        name = self._answer("name")
        return replace(template, name=name or template.name)

    def _answer(self, id_: str) -> str | None:
        if id_ in self._answers:
            self._used.add(id_)
        return self._answers.get(id_)

    def _settled(
        self, template: ImportTemplate, doubts: list[FormatQuestion], open_: list[TextQuestion]
    ) -> ImportTemplate:
        for doubt in doubts:
            if doubt.kind == "zone" and template.form.time.zone:
                continue
            question = _question(doubt)
            said = self._answer(question.id)
            if said is None:
                open_.append(question)
            elif doubt.kind == "words" and said == STATIONS:
                self._known = replace(self._known, station=doubt.about)
            else:
                template = settled(template, doubt, _answer_value(question, said))
        return template

    def _columns(self, template: ImportTemplate, open_: list[TextQuestion]) -> ImportTemplate:
        """Return a tie with what was answered about its columns; ask for what is missing."""
        columns = []
        for one in template.columns:
            column = one
            name = _column_id(one)
            key = self._answer(f"quantity:{name}")
            if key is not None:
                column = replace(column, quantity=_quantity_of(key), unit="")
            unit = self._answer(f"unit:{name}")
            recorded = quantity(column.quantity).unit
            if unit is not None and text_unit(quantity(column.quantity), unit).name != unit:
                raise InputError(
                    f"{quantity(column.quantity).name} has no unit “{unit}”; answer unit:{name} "
                    "with another unit."
                )
            column = replace(column, unit=unit if unit is not None else column.unit)
            if column.quantity and recorded and not column.unit:
                units = tuple((one.name, one.name) for one in text_units(quantity(column.quantity)))
                title = _title(template, column)
                open_.append(TextQuestion(f"unit:{name}", f"In which unit is {title}?", units))
            columns.append(column)
        template = replace(template, columns=tuple(columns))
        used = [one for one in template.columns if one.quantity]
        if not used:
            asked = "No column was recognised; give the quantity of one, as quantity:COLUMN=NAME."
            open_.append(TextQuestion("quantity", asked, is_typed=True))
        point = self._answer("point")
        template = replace(template, point=point or template.point)
        if not template.point and (not used or any(not one.point for one in used)):
            names = tuple(
                (one.full_name, one.full_name) for one in points(self._desk) if not one.retired
            )
            asked = "Where was it measured? “Site · Point”; a new point is added."
            open_.append(TextQuestion("point", asked, names, is_typed=True))
        return template


def _unused_columns(template: ImportTemplate) -> list[str]:
    """Return the columns from which nothing is taken: their words, or numbers from 1."""
    form = template.form
    used = {*form.time.columns, *(flags.column for flags in form.flags)}
    used |= {one.column for one in template.columns if one.quantity or one.where}
    used |= {column for one in template.columns for column, _ in one.where}
    words = dict(enumerate(form.header))
    return [
        words.get(column, "") or f"{column + 1}"
        for column in range(form.columns)
        if column not in used
    ]


def _trial(template: ImportTemplate) -> ImportTemplate:
    """Return a tie to read by: in UTC where no zone is said yet."""
    time = template.form.time
    return replace(
        template, form=replace(template.form, time=replace(time, zone=time.zone or "UTC"))
    )


def _question(doubt: FormatQuestion) -> TextQuestion:
    id_ = doubt.kind if doubt.about < 0 else f"{doubt.kind}:{_place(doubt.about, doubt.where)}"
    return TextQuestion(id_, doubt.question, doubt.choices, doubt.kind in TYPED, doubt.many)


def _column_id(mapping: ColumnMapping) -> str:
    return _place(mapping.column, mapping.where)


def _place(column: int, where: tuple[tuple[int, str], ...]) -> str:
    """Return how a column is called in an id: its number from 1, with the names of its lines."""
    return "/".join([str(column + 1), *(text for _, text in where)])


def _answer_value(question: TextQuestion, text: str) -> str:
    """Return the value of an answer, which may be said as the choice's words.

    Raises:
        InputError: it is none of the choices.
    """
    by_words = {words: value for value, words in question.choices}
    known = {value for value, _ in question.choices}
    if question.several:
        values = [one.strip() for one in text.split(",")] if text else []
        wrong = [one for one in values if one not in known]
        if wrong:
            raise InputError(
                f"“{wrong[0]}” is not an answer to {question.id}; choose from {_listed(question)}."
            )
        return "\n".join(values)
    if text in known or text in by_words:
        return by_words.get(text, text) if text not in known else text
    if not question.is_typed:
        raise InputError(f"“{text}” is not an answer to {question.id}; use {_listed(question)}.")
    return text


def _listed(question: TextQuestion) -> str:
    return ", ".join(f"“{value}”" for value, _ in question.choices)


def _quantity_of(text: str) -> str:
    """Return the key of a quantity by its key or name; "" leaves the column out."""
    if not text or text in QUANTITIES:
        return text
    found = [one.key for one in QUANTITIES.values() if one.name.casefold() == text.casefold()]
    if not found:
        raise InputError(f"“{text}” is not a quantity; choose one from the list in the window.")
    return found[0]


def _title(template: ImportTemplate, mapping: ColumnMapping) -> str:
    header = template.form.header
    words = header[mapping.column] if mapping.column < len(header) else ""
    return f"“{words}”" if words else f"column {mapping.column + 1}"
