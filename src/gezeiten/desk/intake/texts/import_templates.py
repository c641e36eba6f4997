"""Kinds of texts: how they are read and where their columns belong, kept under names, recognised
again, handed on as files."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from gezeiten.archive.queries import plans as kept_in
from gezeiten.archive.queries.offloads import text_reading_settings
from gezeiten.archive.store.ids import fresh_id
from gezeiten.desk.base.workspace import Workspace
from gezeiten.domain.actions.plans import ImportTemplateDeleted, ImportTemplateSaved
from gezeiten.domain.base.untrusted import json_of
from gezeiten.domain.quantities.quantities import QUANTITIES, quantity
from gezeiten.domain.quantities.units import text_unit
from gezeiten.errors import InputError
from gezeiten.exchange.text.form import ColumnMapping, ImportTemplate, TextForm, template_from_dict
from gezeiten.exchange.text.layout.lines import split_line
from gezeiten.exchange.text.layout.sample import sample_of
from gezeiten.exchange.text.proposal import NOTHING_KNOWN, KnownFacts, Proposal, propose
from gezeiten.exchange.text.questions import FormatQuestion
from gezeiten.exchange.text.times.implicit_dates import update_form
from gezeiten.link.instruments.profile import LINES, Profile, find_profiles

KIND_SUFFIX = ".kind.json"
_FORMAT = "gezeiten kind of text 1"
_LARGEST_KIND = 4 << 20


@dataclass(frozen=True, slots=True)
class RecognisedText:
    """A proposal, and the kept tie that fits it, if there is one. similar: the only one of a kind
    without words above its columns that looks the same: it is asked whether it is that. questions:
    what a kept kind leaves open in this file. fresh: names in it that its kind does not know
    yet."""

    proposal: Proposal
    template: ImportTemplate | None
    similar: ImportTemplate | None = None
    questions: tuple[FormatQuestion, ...] = ()
    fresh: tuple[str, ...] = ()

    @property
    def doubts(self) -> tuple[FormatQuestion, ...]:
        """What is asked: what kind it is comes first."""
        if self.template is not None:
            return self.questions
        if self.similar is None:
            return self.proposal.doubts
        question = f"It looks like “{self.similar.name}” of {self.similar.point}: is it?"
        choices = ((self.similar.name, "yes, use it"), ("", "no, use a new template"))
        return (FormatQuestion("kind", question, choices), *self.proposal.doubts)


def recognise_text(
    desk: Workspace, path: Path, facts: KnownFacts = NOTHING_KNOWN
) -> RecognisedText:
    """Return how a text is proposed to be read; one of a kind seen before is recognised.

    facts: what somebody knows better.

    Raises:
        InputError: it cannot be read, or holds no columns of times and numbers.
    """
    proposal = _with_instrument_profile(desk, propose(path, facts))
    templates = stored_templates(desk)
    template = next(
        (
            import_template
            for import_template in templates
            if import_template.form.header and _matches(import_template, proposal)
        ),
        None,
    )
    if template is not None:
        return of_kind(path, proposal, template)
    return RecognisedText(proposal, None, _similar_template(templates, proposal))


def _with_instrument_profile(desk: Workspace, proposal: Proposal) -> Proposal:
    """Return a proposal whose columns mean what the profile of an instrument says that prints such
    lines: a text that it saved elsewhere is read as its live line is."""
    lines = proposal.lines[proposal.form.first_line - 1 :]
    for profile, _ in find_profiles(desk.archive.folder / "profiles"):
        if profile.kind == LINES and not proposal.form.units:
            columns = columns_of_profile(profile, proposal.form, lines)
            proposal = replace(
                proposal,
                columns=tuple(
                    columns.get(column.column, column) if not column.where else column
                    for column in proposal.columns
                ),
            )
    return proposal


def columns_of_profile(
    profile: Profile, form: TextForm, lines: Sequence[str]
) -> dict[int, ColumnMapping]:
    """Return what columns of a text mean by a profile of lines: those in which its values stand in
    most lines; {} where the lines are none of its."""
    found: dict[str, Counter[int]] = {}
    rows = [(line, split_line(line, form)) for line in lines if line.strip()]
    for line, cells in rows:
        match = re.search(profile.pattern.removeprefix("^"), line)
        for name, text in (match.groupdict() if match else {}).items():
            at = [i for i, cell in enumerate(cells) if cell == text or cell.endswith(f"={text}")]
            found.setdefault(name, Counter()).update(at)
    columns = {}
    for value in profile.values:
        its = found.get(value.source, Counter()).most_common(1)
        is_plain = value.factor == 1.0 and value.offset == 0.0
        if its and its[0][1] > 0.8 * len(rows) and is_plain:
            columns[its[0][0]] = ColumnMapping(its[0][0], value.quantity, value.unit)
    return columns if len(columns) == len(profile.values) else {}


def of_kind(path: Path, proposal: Proposal, template: ImportTemplate) -> RecognisedText:
    """Return a text as one of a kept kind: what is its own is that of the text."""
    template = _in_this_file(template, proposal)
    asked: list[FormatQuestion] = []
    if template.form.beside:
        sample = sample_of(path, proposal.form.opening)
        head = sample.lines[: template.form.first_line - 1]
        form, asked = update_form(template.form, head, sample)
        template = replace(template, form=form)
    asked += [doubt for doubt in proposal.doubts if doubt.many and _is_new(doubt, template)]
    known = {column.where for column in template.columns}
    fresh = [column for column in proposal.columns if column.where and column.where not in known]
    names = tuple(dict.fromkeys(" · ".join(text for _, text in one.where) for one in fresh))
    template = replace(
        template, columns=(*template.columns, *(_without_target(one) for one in fresh))
    )
    return RecognisedText(proposal, template, questions=tuple(asked), fresh=names)


def _is_new(doubt: FormatQuestion, template: ImportTemplate) -> bool:
    """Whether a file has flags that its kind does not know yet."""
    its = next((one for one in template.form.flags if one.column == doubt.about), None)
    return its is not None and any(flag not in its.known_flags for flag, _ in doubt.choices)


def _without_target(mapping: ColumnMapping) -> ColumnMapping:
    return ColumnMapping(mapping.column, "", "", mapping.where, label=mapping.label)


def _in_this_file(template: ImportTemplate, proposal: Proposal) -> ImportTemplate:
    """Return a kept tie with what is a file's own: where its head ends, how it is packed."""
    form = proposal.form
    return replace(
        template,
        form=replace(
            template.form, first_line=form.first_line, encoding=form.encoding, opening=form.opening
        ),
    )


def _matches(template: ImportTemplate, proposal: Proposal) -> bool:
    """Whether a text has the signs, columns and words above them of a kind."""
    its, form = template.form, proposal.form
    return (its.delimiter, its.columns, its.header, its.widths) == (
        form.delimiter,
        form.columns,
        form.header,
        form.widths,
    )


def _similar_template(templates: list[ImportTemplate], proposal: Proposal) -> ImportTemplate | None:
    """Return the kept tie of texts without a head that are written alike, None of several."""
    form = proposal.form
    if form.header:
        return None
    alike = [
        template
        for template in templates
        if not template.form.header
        and _matches(template, proposal)
        and template.form.time.columns == form.time.columns
    ]
    return _in_this_file(alike[0], proposal) if len(alike) == 1 else None


def previous_zones(desk: Workspace) -> dict[str, str]:
    """Return in which time zone the last text of each source was read, by its name.

    Read in another zone, the same file would come again at other instants.
    """
    with desk.archive.reading() as session:
        templates = [
            (str(reading.get("kind") or reading["name"]), template_from_dict(reading))
            for reading in text_reading_settings(session)
        ]
    return {
        kind: template.form.time.zone
        for kind, template in templates
        if template.form.time.needs_zone
    }


def proposed_template(recognised: RecognisedText, name: str) -> ImportTemplate:
    """Return the template to start from: the stored one that fits, else what was proposed."""
    if recognised.template is not None:
        return recognised.template
    proposal = recognised.proposal
    columns = tuple(
        column if _is_stored(column) else replace(column, quantity="", unit="")
        for column in proposal.columns
    )
    return ImportTemplate(name, "", proposal.form, columns)


def _is_stored(mapping: ColumnMapping) -> bool:
    if mapping.quantity not in QUANTITIES:
        return False
    # a unit that the text does not say is asked
    return (
        not mapping.unit or text_unit(quantity(mapping.quantity), mapping.unit).name == mapping.unit
    )


# -- kept ------------------------------------------------------------------------------------------
def stored_templates(desk: Workspace) -> list[ImportTemplate]:
    """Return the stored import templates, those used last first."""
    with desk.archive.reading() as session:
        return [
            template_from_dict(template) for template in kept_in.stored_import_templates(session)
        ]


def save_template(desk: Workspace, template: ImportTemplate) -> None:
    """Save an import template; one of the same name is replaced, an equal one stays.

    What is a file's own, a year that somebody said for it, is not kept.
    """
    template = _without_file_details(template)
    with desk.archive.writing() as session:
        there = kept_in.find_import_template(session, template.name)
        if there is None:
            desk.do_within(
                session, ImportTemplateSaved(fresh_id(), template.name, template.as_dict())
            )
        elif template_from_dict(there[1]) != template:
            desk.do_within(
                session, ImportTemplateSaved(there[0], template.name, template.as_dict(), there[1])
            )


def _without_file_details(template: ImportTemplate) -> ImportTemplate:
    beside = tuple(replace(one, text="") for one in template.form.beside)
    return replace(template, form=replace(template.form, beside=beside))


def change_kind(desk: Workspace, name: str, wanted: ImportTemplate) -> None:
    """Keep a kind otherwise, under another name where that is wished.

    Raises:
        InputError: it has no name, or another kind has it; none of its columns is tied.
    """
    if not any(column.quantity for column in wanted.columns):
        raise InputError(
            "This import template skips all columns; assign one, or delete the template."
        )
    if not wanted.name.strip():
        raise InputError("The import template has no name; enter one.")
    if wanted.name != name and any(
        template.name == wanted.name for template in stored_templates(desk)
    ):
        raise InputError(
            f"There is already an import template “{wanted.name}”; choose another name."
        )
    save_template(desk, wanted)
    if wanted.name != name:
        delete_template(desk, name)


def delete_template(desk: Workspace, name: str) -> None:
    """Delete an import template; what was imported with it stays."""
    with desk.archive.writing() as session:
        there = kept_in.find_import_template(session, name)
        if there is not None:
            desk.do_within(session, ImportTemplateDeleted(there[0], name, there[1]))


def export_kind(template: ImportTemplate, target: Path) -> None:
    """Write a kind as a file, to be read on another computer.

    Raises:
        InputError: it cannot be written there.
    """
    content = {"format": _FORMAT, "kind": template.as_dict()}
    try:
        target.write_text(json.dumps(content, indent=1, ensure_ascii=False) + "\n", "utf-8")
    except OSError as exc:
        raise InputError(f"{target} cannot be saved; choose another folder.") from exc


def import_kind(desk: Workspace, source: Path) -> ImportTemplate:
    """Read a kind from a file, and keep it; returns it.

    Raises:
        InputError: the file is none, or a kind of that name is kept that is another one.
    """
    try:
        data = source.read_bytes()[: _LARGEST_KIND + 1]
    except OSError as exc:
        raise InputError(f"{source.name} cannot be read; check its name and rights.") from exc
    try:
        content = json_of(data)
    except ValueError:
        content = None
    if not isinstance(content, dict) or content.get("format") != _FORMAT:
        raise InputError(f"{source.name} is not an import template; choose another file.")
    template = template_from_dict(content.get("kind", {}))
    for other in stored_templates(desk):
        if other.name == template.name and other != template:
            raise InputError(
                f"There is already a different import template “{template.name}”; delete "
                "it first, or have this one exported under another name."
            )
    save_template(desk, template)
    return template
