"""Words why a check is all right although it warns, given by a person for this session."""

from __future__ import annotations

from gezeiten.desk.base.workspace import Workspace
from gezeiten.desk.logger.computer_clock import clock_doubts
from gezeiten.desk.logger.launch.launch_checks import CLOCK_KEY


class AcceptedWords:
    """By logger; one for the computer's clock is good for all while the doubt is the same."""

    def __init__(self, desk: Workspace) -> None:
        self._desk = desk
        self._by_serial: dict[str, dict[str, str]] = {}
        self._clock: tuple[str, str] | None = None

    def accept(self, key: str, word: str, serials: list[str]) -> None:
        """Remember a word for a check of these loggers."""
        if key == CLOCK_KEY:
            self._clock = (self._doubt(), word)
        for serial in serials:
            self._by_serial.setdefault(serial, {})[key] = word

    def reasons(self, serial: str) -> dict[str, str]:
        """Return the words for a logger, by the key of their check."""
        words = dict(self._by_serial.get(serial, {}))
        if self._clock and self._clock[0] == self._doubt():
            words[CLOCK_KEY] = self._clock[1]
        return words

    def forget(self, serial: str) -> None:
        """Forget what was said for a logger; it was launched."""
        self._by_serial.pop(serial, None)

    def _doubt(self) -> str:
        return " ".join(clock_doubts(self._desk))
