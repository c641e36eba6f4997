"""What importing a text would bring, for people and for scripts."""

from __future__ import annotations

from datetime import UTC, datetime

from gezeiten.desk.intake.texts.text_answers import TextOutlook
from gezeiten.desk.intake.texts.text_survey import SeriesSurvey
from gezeiten.domain.base.wording import counted, grouped
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.series.timeline import duration_text


def outlook_row(outlook: TextOutlook) -> dict[str, object]:
    """Return it as JSON has it: instants in UTC, numbers in the unit of the text."""
    found, template = outlook.survey, outlook.template
    return {
        "file": outlook.path.name,
        "template": template.name,
        "point": template.point,
        "zone": template.form.time.zone,
        "interval_s": found.interval_ms / 1000 if found and found.interval_ms else None,
        "series": [_series_row(outlook, one) for one in _imported(outlook)],
        "readings": found.readings if found else 0,
        "same_instant": found.doubled if found else 0,
        "without_number": found.spoilt if found else 0,
        "left_out": dict(found.rejected) if found else {},
        "columns_left_out": outlook.unused_columns,
        "questions": [
            {
                "id": question.id,
                "question": question.question,
                "several": question.several,
                "typed": question.is_typed,
                "choices": [{"value": value, "words": words} for value, words in question.choices],
            }
            for question in outlook.questions
        ],
    }


def _imported(outlook: TextOutlook) -> list[SeriesSurvey]:
    return [one for one in outlook.survey.series if one.column.quantity] if outlook.survey else []


def _series_row(outlook: TextOutlook, series_survey: SeriesSurvey) -> dict[str, object]:
    mapping, numbers = series_survey.column, series_survey.numbers
    return {
        "column": mapping.column + 1,
        "lines_of": [text for _, text in mapping.where],
        "point": mapping.point or outlook.template.point,
        "label": mapping.label,
        "quantity": mapping.quantity,
        "unit": mapping.unit,
        "zone": outlook.template.form.time.zone,
        "first": _instant(series_survey.first_ms),
        "last": _instant(series_survey.last_ms),
        "count": numbers.count,
        "lowest": numbers.lowest,
        "highest": numbers.highest,
        "mean": numbers.mean,
    }


def _instant(at_ms: int | None) -> str | None:
    if at_ms is None:
        return None
    return datetime.fromtimestamp(at_ms / 1000, UTC).isoformat().replace("+00:00", "Z")


def outlook_lines(outlook: TextOutlook) -> list[str]:
    """Return it as lines for people."""
    found, lines = outlook.survey, []
    if found is not None:
        every = f", every {duration_text(found.interval_ms)}" if found.interval_ms else ""
        lines.append(f"{outlook.path.name}: {grouped(found.readings)} lines of readings{every}.")
    for one in _imported(outlook):
        numbers, mapping = one.numbers, one.column
        name = " · ".join(part for part in (quantity(mapping.quantity).name, mapping.label) if part)
        period = f"{_instant(one.first_ms)} to {_instant(one.last_ms)}"
        figures = f"lowest {numbers.lowest}, highest {numbers.highest}, mean {_short(numbers.mean)}"
        lines.append(
            f"  {name} [{mapping.unit}]: {grouped(numbers.count)} from {period}, {figures}"
        )
    for reason, many in found.rejected.most_common() if found else []:
        lines.append(f"  {counted(many, 'line', 'lines')} skipped: {reason}")
    if outlook.unused_columns:
        lines.append(f"  Columns skipped: {', '.join(outlook.unused_columns)}")
    for asked in outlook.questions:
        lines.append(f"Open: {asked.question}")
        lines += [
            f"    --answer “{asked.id}={value}”  {words if words != value else ''}".rstrip()
            for value, words in asked.choices
        ]
        if asked.is_typed or not asked.choices:
            lines.append(f"    --answer “{asked.id}=…”")
    return lines


def _short(value: float | None) -> str:
    return "none" if value is None else f"{value:.6g}"
