"""Other words by which people look for a command in the finder, by the command's id."""

from __future__ import annotations

from gezeiten.ui.format.i18n import tr


def search_words() -> dict[str, str]:
    """Return words that a command's title does not contain."""
    return {
        "report": tr("print document paper picture sign"),
        "export": tr("excel spreadsheet table numbers"),
        "trends.days": tr("sum month mean day by day"),
        "trends.rows": tr("excel spreadsheet numbers"),
        "gap.chain": tr("clock wrong calibration"),
        "trends.chain": tr("clock wrong calibration"),
        "lives": tr("battery calibration repair service"),
        "logger.life": tr("battery calibration repair service"),
        "label.write": tr("print sticker"),
        "self-check": tr("test sensor battery"),
        "logbook.pdf": tr("print paper"),
        "visit.set": tr("date calendar appointment"),
        "people": tr("who is working name initials"),
    }
