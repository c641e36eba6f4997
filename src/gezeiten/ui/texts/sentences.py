"""What taking a text would bring, and brought, in words."""

from __future__ import annotations

from collections.abc import Sequence

from gezeiten.desk.intake.texts.text_files import Preview, TextImport
from gezeiten.desk.intake.texts.text_survey import Survey
from gezeiten.domain.series.timeline import duration_text
from gezeiten.exchange.text.form import TextForm
from gezeiten.exchange.text.layout.lines import split_line
from gezeiten.ui.format.i18n import clock_time, counted, date, day_and_time, number, tr


def example_text(form: TextForm, lines: Sequence[str], preview: Preview, zone: str) -> str:
    """Say how the time of the first line that is read is understood: "“5 3 2024 0 10” is 5 March
    2024, 00:10", "" without one. lines: the first ones of the text."""
    if not len(preview.times) or not len(preview.lines) or int(preview.lines[0]) > len(lines):
        return ""
    cells = split_line(lines[int(preview.lines[0]) - 1], form)
    cells = [*cells, *[""] * (form.columns - len(cells)), *(one.text for one in form.beside)]
    if max(form.time.columns) >= len(cells):
        return ""
    written = " ".join(cells[column] for column in form.time.columns).strip()
    at_ms = int(preview.times[0])
    when = f"{date(at_ms, zone, 'd MMMM yyyy')}, {clock_time(at_ms, zone, seconds=True)}"
    words = tr("“%1” is %2").replace("%1", written).replace("%2", when)
    if form.time.needs_zone and not form.time.zone:
        return f"{words} ({tr('as if it were UTC, until a zone is said')})"
    return f"{words} ({form.time.zone})" if form.time.zone else words


def survey_text(survey: Survey, zone: str) -> str:
    """Say what all of a text would bring: readings from when to when, what not and why."""
    if survey.has_many_duplicates:
        words = tr(
            "%1 of %2 lines have the same time as another line, so the time is not "
            "read correctly; choose the time columns."
        )
        return words.replace("%1", number(survey.doubled)).replace("%2", number(survey.lines))
    texts = [counted(survey.readings, "%n reading in total", "%n readings in total")]
    if survey.first_ms is not None and survey.last_ms is not None:
        begin, end = day_and_time(survey.first_ms, zone), day_and_time(survey.last_ms, zone)
        texts[0] += f", {begin} – {end} ({zone})"
    if survey.interval_ms is not None:
        texts.append(tr("every %1").replace("%1", duration_text(survey.interval_ms)))
    if survey.doubled:
        texts.append(
            counted(
                survey.doubled,
                "%n line has the same time as another",
                "%n lines have the same time as another",
            )
        )
    texts += [
        counted(many, "%n line is skipped", "%n lines are skipped") + f": {reason}"
        for reason, many in survey.rejected.most_common(3)
    ]
    if survey.spoilt:
        texts.append(
            counted(
                survey.spoilt,
                "%n line has a cell that is not a number",
                "%n lines have cells that are not numbers",
            )
        )
    return "; ".join(texts) + "."


def skipped_text(preview: Preview) -> str:
    """Say how many of the first lines are left out, how many cells, and the first of them."""
    texts = []
    if preview.rejected:
        texts.append(
            counted(
                len(preview.rejected),
                "%n line at the beginning is skipped",
                "%n lines at the beginning are skipped",
            )
        )
    if preview.spoilt:
        texts.append(
            counted(
                len(preview.spoilt),
                "%n line at the beginning has a cell without a number",
                "%n lines at the beginning have cells without a number",
            )
        )
    first = min([*preview.rejected, *preview.spoilt], key=lambda one: one.line)
    return f"{', '.join(texts)}: {tr('line')} {first.line}, {first.reason}."


def taken_words(imported: TextImport) -> str:
    """Return what a text brought in a sentence or two."""
    words = counted(imported.readings, "%n reading saved", "%n readings saved")
    if imported.repeated:
        words += ", " + counted(imported.repeated, "%n already saved", "%n already saved")
    if imported.rejected_in_all:
        words += ", " + counted(imported.rejected_in_all, "%n line skipped", "%n lines skipped")
    if imported.spoilt_in_all:
        words += ", " + counted(
            imported.spoilt_in_all,
            "%n line with a cell that is not a number",
            "%n lines with cells that are not numbers",
        )
    if imported.excursions_new:
        words += ", " + counted(
            imported.excursions_new, "%n new excursion to assess", "%n new excursions to assess"
        )
    return words + "."


def skipped_lines(imported: TextImport) -> str:
    """Return the lines that were left out, one below the other, with why."""
    lines = [
        f"{tr('line')} {rejected_line.line}: {rejected_line.reason}   {rejected_line.text}".rstrip()
        for rejected_line in imported.rejected
    ]
    left = imported.rejected_in_all + imported.spoilt_in_all - len(imported.rejected)
    if left > 0:
        lines.append(counted(left, "and %n more", "and %n more"))
    return "\n".join([tr("Skipped:"), *lines])
