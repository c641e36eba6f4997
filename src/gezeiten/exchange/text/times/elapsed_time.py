"""Times counted from a start that the head says: seconds, minutes, hours or days since then."""

from __future__ import annotations

import re
from itertools import pairwise

from gezeiten.exchange.text.form import COUNT_FACTORS, TimeForm
from gezeiten.exchange.text.layout.sample import TextSample
from gezeiten.exchange.text.questions import FormatQuestion
from gezeiten.exchange.text.times.moments import CLOCK, START, moments

_UNITS = (
    ("ms", r"ms|milli\w+"),
    ("s", r"s|secs?|seconds?|sek|sekunden?|secondes?|segundos?|secondi"),
    ("min", r"min|mins|minutes?|minuten?|minutos?|minuti|minuten"),
    ("h", r"h|hrs?|hours?|std|stunden?|heures?|horas?|ore|uren"),
    ("d", r"d|days?|tage?|jours?|d[íi]as?|giorni|dagen"),
)
_SAID = {"ms": "milliseconds", "s": "seconds", "min": "minutes", "h": "hours", "d": "days"}
_SINCE = re.compile(
    r"(?i)elapsed|since|seit|laufzeit|vergangen|dauer|duration|écoulé|transcurrido|trascorso|"
    r"runtime|run time|t\s?[-+]?\s?t0|^t$|^time$|^zeit$|^temps$|^tiempo$|^tempo$|^tijd$"
)
_NUMBER = re.compile(r"\d{1,12}(?:[.,]\d+)?$")


def counted_from_start(
    rows: list[list[str]], header: tuple[str, ...], behind: int
) -> tuple[TimeForm, tuple[FormatQuestion, ...]] | None:
    """Return the time of lines whose column counts from a start, with the question in which unit
    where no word says it; None of others.

    Args:
        behind: the column in which the start will stand.
    """
    for column in range(min(len(rows[0]), 3) if rows else 0):
        words = header[column] if column < len(header) else ""
        unit = _unit_in(words)
        if not _rises(rows, column) or not (unit or _SINCE.search(words.strip())):
            continue
        time = TimeForm((behind, column), f"{START} +{unit or 's'}")
        if unit:
            return time, ()
        example = rows[-1][column]
        choices = tuple((f"{START} +{one}", f"{example} {said}") for one, said in _SAID.items())
        format_question = FormatQuestion(
            "order", f"“{example}” since the start: in which unit is that?", choices
        )
        return time, (format_question,)
    return None


def _unit_in(words: str) -> str:
    for unit, shape in _UNITS:
        if unit in COUNT_FACTORS and re.search(rf"(?i)(?<![^\W_])(?:{shape})(?![^\W_])", words):
            return unit
    return ""


def _rises(rows: list[list[str]], column: int) -> bool:
    cells = [row[column] for row in rows]
    if not all(_NUMBER.match(cell) for cell in cells) or len(cells) < 2:
        return False
    numbers = [float(cell.replace(",", ".")) for cell in cells]
    return numbers[0] <= numbers[-1] - numbers[0] and all(b > a for a, b in pairwise(numbers))


def starts(
    shape: re.Pattern[str], head: list[str], sample: TextSample
) -> tuple[tuple[str, str], ...]:
    """Return the moments that the head and the file's name say, as answers.

    Args:
        shape: of a day, with one group.
    """
    found: dict[str, tuple[str, str]] = {}
    name = re.sub(r"(\d)[-_](\d\d)[-_.h](\d\d)(?!\d)", r"\1 \2:\3", sample.path.stem)
    named = [("head", " ".join(line.split()), f"“{' '.join(line.split())[:60]}”") for line in head]
    lines = [*named, ("name", name.replace("_", " "), "its name")]
    for i, (kind, line, place) in enumerate(lines):
        for match in shape.finditer(line):
            below = lines[i + 1][1] if i + 1 < len(lines) else ""
            clock = CLOCK.search(line) or (None if shape.search(below) else CLOCK.search(below))
            if clock is None:
                continue
            for moment in moments(match[1], clock[1]):
                words = f"{moment.day} {moment:%B %Y, %H:%M:%S}".removesuffix(":00")
                found.setdefault(f"{moment}", (f"{kind}:{moment}", f"{words}, as {place} says"))
    return tuple(found.values())
