"""The serial ports under the loggers at hand: what is on each, or how it is being looked for."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QWidget

from gezeiten.desk.logger.cables import PortNews
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import clear, column, label

SHOWN = 4


class PortStrip(QWidget):
    """One line a port; ports that are gone leave at once."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Serial ports"))
        self._news: dict[str, PortNews] = {}
        self._lines = column(spacing=0)
        self.setLayout(self._lines)
        self.hide()

    def show_news(self, news: PortNews) -> None:
        """Show what has become known of a port."""
        self._news[news.path] = news
        self._show()

    def drop_missing(self, paths: set[str]) -> set[str]:
        """Drop ports that are gone; returns those that had been there."""
        gone = set(self._news) - paths
        for path in gone:
            del self._news[path]
        if gone:
            self._show()
        return gone

    def state(self, path: str) -> str:
        """Return what is known of a port: "trying", "logger", "silent", "busy", ... or ""."""
        return self._news[path].state if path in self._news else ""

    def lines(self) -> list[str]:
        """Return what is shown, for people."""
        return [_port_text(self._news[path]) for path in sorted(self._news)]

    def _show(self) -> None:
        clear(self._lines)
        words = self.lines()
        for text in words[:SHOWN]:
            shown = label(text, "muted")
            shown.setToolTip(plain_tip(text))
            self._lines.addWidget(shown)
        if len(words) > SHOWN:
            rest = label(tr("and %1 more ports").replace("%1", str(len(words) - SHOWN)), "muted")
            rest.setToolTip(plain_tip("\n".join(words[SHOWN:])))
            self._lines.addWidget(rest)
        self.setAccessibleDescription("\n".join(words))
        self.setVisible(bool(words))


def _port_text(news: PortNews) -> str:
    name = Path(news.path).name
    said = {
        "trying": tr("trying %1 ...").replace("%1", news.text),
        "logger": news.text,
        "silent": tr("no answer"),
        "busy": tr("in use"),
        "barred": tr("no permission"),
        "stopped": tr("not searched"),
    }[news.state]
    return f"{name}: {said}"
