"""The left of the Field desk: loggers at hand, the round, the ports, and the other routes."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from gezeiten.desk.logger.cables import PortNews, serial_ports
from gezeiten.link.lines.address import CablePort
from gezeiten.ui.field.carriers.carriers_desk import CarrierList
from gezeiten.ui.field.logger.logger_list import LoggerList
from gezeiten.ui.field.port_strip import PortStrip
from gezeiten.ui.field.round_strip import RoundStrip
from gezeiten.ui.field.work import FieldWork
from gezeiten.ui.format.i18n import counted, tr
from gezeiten.ui.parts.flow import FlowLayout, YieldingWidget
from gezeiten.ui.parts.widgets import button, column, label, row
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task

PORTS_EVERY_MS = 1000


class ConnectedLoggers(YieldingWidget, QWidget):
    """looking: whether it is being looked for loggers. Ports are watched while this is in sight."""

    looking = Signal(bool)
    asked = Signal(str)  # name of an action

    def __init__(self, context: AppContext, work: FieldWork, carriers: CarrierList) -> None:
        super().__init__()
        self._context, self._work = context, work
        self._ports: set[str] | None = None
        self._is_watching = False
        self.fresh_ports: set[str] = set()  # plugged in while the desk was in sight
        self.loggers = LoggerList()
        self.again = button(tr("Search again"), lambda: self.asked.emit("look"))
        self.ticked = label("", "muted")
        self.tick_all = button(tr("select all"), lambda: self.asked.emit("tick"), "link")
        self.round_strip = RoundStrip()
        self.ports = PortStrip()
        self.live = button(tr("Live line …"), lambda: self.asked.emit("live"), "link")
        self.followed = label("", "muted")
        self.followed.hide()
        self.setLayout(
            column(
                row(label(tr("Connected loggers"), "head"), 1, self.again),
                self.round_strip,
                row(self.ticked, 1, self.tick_all),
                self.loggers,
                carriers,
                self.followed,
                self.ports,
                FlowLayout(
                    button(tr("Text file …"), lambda: self.asked.emit("text"), "link"),
                    self.live,
                    button(tr("Folder …"), lambda: self.asked.emit("folder"), "link"),
                    spacing=4,
                ),
                spacing=5,
            )
        )
        self.set_widths(286, 230)
        work.port_news.connect(self._on_port_news)
        self._every = QTimer(self)
        self._every.setInterval(PORTS_EVERY_MS)
        self._every.timeout.connect(self.watch_ports)

    def show_ticked(self) -> None:
        """Say how many are ticked."""
        count = len(self.loggers.ticked())
        self.ticked.setText(counted(count, "%n selected", "%n selected") if count else "")

    def show_followed(self, words: str) -> None:
        """Say how many online loggers are followed by themselves."""
        self.followed.setText(words)
        self.followed.setVisible(bool(words))

    def show_live(self, *, on: bool) -> None:
        """Say whether an instrument is being recorded."""
        self.live.setText(tr("● recording …") if on else tr("Live line …"))

    def show_searching(self, *, on: bool) -> None:
        """Show that it is being looked, or no longer."""
        self.again.setEnabled(not on)
        self.again.setText(tr("Searching …") if on else tr("Search again"))
        self.looking.emit(on)

    def connected_serials(self, seen: set[str]) -> set[str]:
        """Return the serials at hand: those that answered, and those on a cable, which stay until
        their port is silent or gone."""
        on_cable = {c.serial for c in self.loggers.cards() if isinstance(c.address, CablePort)}
        return seen | on_cable

    # -- ports -----------------------------------------------------------------------------------
    def search_ports(self) -> None:
        """Ask anew who is on each port there is."""
        self._ports = None
        self.watch_ports()

    def _on_port_news(self, news: PortNews) -> None:
        if self._ports is None or news.path in self._ports:
            self.ports.show_news(news)
        if news.state == "silent":
            self._drop_on({news.path})

    def _drop_on(self, paths: set[str]) -> None:
        """Take out the loggers that hung on these ports."""
        cards = self.loggers.cards()
        stay = {
            card.serial
            for card in cards
            if not (isinstance(card.address, CablePort) and card.address.path in paths)
        }
        if len(stay) < len(cards):
            self.loggers.drop_all_but(stay)
            self.asked.emit("gone")

    def watch_ports(self) -> None:
        """Notice ports that have appeared or vanished."""
        desk = self._context.desk

        def work(_task: Task) -> set[str]:
            return {port.path for port in serial_ports(desk)}

        def failed(_sentence: str) -> None:
            self._is_watching = False

        # on a slow computer a look may take longer than the time between two
        if not self._is_watching:
            self._is_watching = True
            self._context.run(work, self.ports_are, failed=failed)

    def ports_are(self, paths: set[str]) -> None:
        """Take note of the ports there are: look at new ones, drop what hung on the others."""
        self._is_watching = False
        is_first_look = self._ports is None
        known, self._ports = self._ports or set(), paths
        self.fresh_ports = set() if is_first_look else self.fresh_ports | (paths - known)
        self.ports.drop_missing(paths)
        self._drop_on(known - paths)
        self._work.search_ports(paths - known)

    def showEvent(self, event: QShowEvent) -> None:
        self._every.start()
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        self._every.stop()
        super().hideEvent(event)
