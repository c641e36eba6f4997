"""The Field desk with no logger at hand: how to connect one, and loggers to practise with."""

from __future__ import annotations

from PySide6.QtCore import Signal

from gezeiten.ui.i18n import tr
from gezeiten.ui.parts import Card, button, label, row


class NobodyPage(Card):
    """asked: name of an act ("look", "settings", "practice")."""

    asked = Signal(str)

    def __init__(self, *, can_practise: bool) -> None:
        super().__init__(tr("No logger at hand"))
        self.where = label("", wrap=True)
        steps = (
            (tr("By network"), tr(
                "Plug its adapter in, give it power, wait ten seconds. Its address must be among "
                "those looked at; add it in the settings, like 192.168.4.20:502."
            )),
            (tr("By cable"), tr(
                "Plug the cable in; the port appears at the left by itself, and speed and parity "
                "are tried until the logger answers."
            )),
            (tr("As a drive"), tr(
                "Plug the logger or the stick in; what lies on it is listed at the left. A folder "
                "with mission files can be looked into as well (Ctrl+Shift+O)."
            )),
            (tr("By courier"), tr(
                "Connect the courier like a logger; its records are listed, with what is new "
                "among them (Ctrl+J)."
            )),
            (tr("From something else"), tr(
                "A text file with times and numbers (Ctrl+O), or an instrument that speaks on a "
                "serial port (Ctrl+R)."
            )),
        )  # fmt: skip
        self.body.addWidget(self.where)
        for title, words in steps:
            self.body.addWidget(label(title, "head"))
            self.body.addWidget(label(words, wrap=True))
        self.look = button(tr("Look again (F5)"), lambda: self.asked.emit("look"), "primary")
        settings = button(tr("Addresses to look at"), lambda: self.asked.emit("settings"))
        self.body.addLayout(row(self.look, settings, 1))
        if can_practise:
            self.body.addWidget(label(tr("To practise"), "head"))
            self.body.addWidget(
                label(
                    tr("Three practice loggers run on this computer and behave like real ones: "
                       "they record, fill up, are offloaded and launched. They are marked as "
                       "practice wherever they show; their records are made up."),
                    wrap=True,
                )
            )  # fmt: skip
            self.practice = button(
                tr("Start practice loggers"), lambda: self.asked.emit("practice")
            )
            self.body.addLayout(row(self.practice, 1))
        self.body.addStretch(1)

    def show_where(self, addresses: str, *, looking: bool) -> None:
        """Say where was looked, or that it is being looked."""
        words = tr("Looking at %1 ...") if looking else tr("No logger answers at %1.")
        shown = addresses if len(addresses) < 90 else addresses[:88] + "…"
        self.where.setText(words.replace("%1", shown))
        self.look.setEnabled(not looking)
