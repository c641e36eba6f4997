"""How an instrument that prints lines is read, said by clicking a line of it, kept under a name."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QLineEdit,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from gezeiten.desk.intake.live import listen
from gezeiten.domain.quantities.quantities import QUANTITIES, in_order, quantity
from gezeiten.domain.quantities.units import shown_units
from gezeiten.exchange.text.meaning import meaning
from gezeiten.link.instruments.line_shape import Part, numbers_in, pattern_for
from gezeiten.link.instruments.profile import LINES, Profile, ProfileValue, save_profile
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.widgets import button, clear, column, label, row, scrolled, set_role
from gezeiten.ui.plan.section import narrow
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.work_queue import Task

_LISTEN_S = 8.0
_MOST_LINES = 50
_BAUDS = ("300", "1200", "2400", "4800", "9600", "19200", "38400", "57600", "115200")


@dataclass(slots=True)
class _Chosen:
    """The fields of one number."""

    part: Part
    what: QComboBox
    unit: QComboBox


class ProfileDialog(QDialog):
    """kept: a `Profile` that was kept."""

    saved = Signal(object)

    def __init__(
        self, parent: QWidget, context: AppContext, port: str, start: Profile | None
    ) -> None:
        """start: what to begin with, None for a new one."""
        super().__init__(parent)
        self._context = context
        self._task: Task | None = None
        self._line = ""
        self._numbers: list[_Chosen] = []
        self.setWindowTitle(tr("An instrument that prints lines"))
        self.resize(900, 620)
        self._build(port)
        if start is not None and start.kind == LINES:
            self._show_profile(start)

    def _build(self, port: str) -> None:
        self.name, self.port, self.ask = QLineEdit(), QLineEdit(port), QLineEdit()
        self.ask.setPlaceholderText(tr("nothing: it sends by itself"))
        self.baud, self.bits, self.parity, self.stop_bits, self.end = (
            QComboBox() for _ in range(5)
        )
        self.baud.setEditable(True)
        self.baud.addItems(_BAUDS)
        self.baud.setCurrentText("9600")
        self.bits.addItems(["8", "7"])
        for sign, words in (("N", tr("none")), ("E", tr("even")), ("O", tr("odd"))):
            self.parity.addItem(words, sign)
        self.stop_bits.addItems(["1", "2"])
        for sign, words in (("lf", "LF, CR LF"), ("cr", "CR")):
            self.end.addItem(words, sign)
        grid = QGridLayout()
        fields = (
            (tr("Name"), self.name),
            (tr("Port"), self.port),
            (tr("Bits per second"), self.baud),
            (tr("Data bits"), self.bits),
            (tr("Parity"), self.parity),
            (tr("Stop bits"), self.stop_bits),
            (tr("Line ending"), self.end),
            (tr("Command that requests a line"), self.ask),
        )
        for place, (words, field) in enumerate(fields):
            field.setAccessibleName(words)
            if isinstance(field, QComboBox):
                narrow(field)
            line, across = divmod(place, 4)
            grid.addWidget(label(words, "muted"), 2 * line, across)
            grid.addWidget(field, 2 * line + 1, across)
            grid.setColumnStretch(across, 1)
        self.lines = QListWidget()
        self.lines.setAccessibleName(tr("Instrument output"))
        self.lines.setStyleSheet("font-family: monospace;")
        self.lines.currentTextChanged.connect(self.show_line)
        self.parts: QVBoxLayout = column(spacing=4)
        inner = QWidget()
        inner.setLayout(column(self.parts, 1))
        self.words = label(tr("Listen, then click a line: its numbers appear below."), wrap=True)
        self.listen = button(tr("Listen"), self._listen)
        self.keep = button(tr("Save instrument"), self._save, "primary")
        self.setLayout(
            column(
                grid,
                row(self.listen, label(tr("Output"), "head"), 1),
                self.lines,
                label(tr("Meaning of the numbers"), "head"),
                scrolled(inner),
                self.words,
                row(self.keep, button(tr("Close"), self.reject), 1),
                spacing=8,
                margins=14,
            )
        )

    def _show_profile(self, profile: Profile) -> None:
        self.name.setText(profile.name)
        self.ask.setText(profile.ask)
        self.baud.setCurrentText(str(profile.baud))
        self.bits.setCurrentText(str(profile.data_bits))
        self.parity.setCurrentIndex(self.parity.findData(profile.parity))
        self.stop_bits.setCurrentText(str(profile.stop_bits))
        self.end.setCurrentIndex(self.end.findData(profile.end))

    # -- listening -------------------------------------------------------------------------------
    def _port_settings(self) -> Profile:
        """The profile as far as listening needs it."""
        baud = self.baud.currentText().strip()
        return Profile(
            self.name.text().strip(),
            LINES,
            int(baud) if baud.isdigit() else 0,
            int(self.bits.currentText()),
            self.parity.currentData(),
            int(self.stop_bits.currentText()),
            (),
            ask=self.ask.text(),
            pattern=".*",
            end=self.end.currentData(),
        )

    def _listen(self) -> None:
        if self._task is not None:
            self._task.cancel()
            return
        port, profile, clock = (
            self.port.text().strip(),
            self._port_settings(),
            self._context.desk.clock,
        )
        self.lines.clear()
        self.listen.setText(tr("Stop"))
        self._show_message(tr("Listening to %1 ...").replace("%1", port))
        self._task = self._context.run(
            lambda task: listen(port, profile, clock, _LISTEN_S, task.report, task.cancelled),
            self._listened,
            self.add_line,
            self._failed,
        )

    def add_line(self, line: str) -> None:
        """Show a line that came."""
        if self.lines.count() < _MOST_LINES:
            self.lines.addItem(line)
        if self.lines.count() == 1:
            self.lines.setCurrentRow(0)

    def _listened(self, _: object) -> None:
        self._over()
        if not self.lines.count():
            self._show_message(tr("No data received; check the port and its speed."), "ember")

    def _failed(self, sentence: str) -> None:
        self._over()
        self._show_message(sentence, "ember")

    def _over(self) -> None:
        self._task = None
        self.listen.setText(tr("Listen"))

    # -- numbers ---------------------------------------------------------------------------------
    def show_line(self, line: str) -> None:
        """Show the numbers of a line, to say what each is."""
        if not line:
            return
        self._line, self._numbers = line, []
        clear(self.parts)
        for part in numbers_in(line):
            self._numbers.append(self._number(part))
        self._show_message(tr("Choose what each number means; numbers left out are not recorded."))

    def _number(self, part: Part) -> _Chosen:
        what, unit = QComboBox(), QComboBox()
        what.addItem(tr("leave out"), "")
        for known in in_order(QUANTITIES.values()):
            what.addItem(tr(known.name), known.key)
        words = f"{part.before} {part.text}".strip()
        what.setAccessibleName(words)
        unit.setAccessibleName(tr("Unit of %1").replace("%1", words))
        for box in (what, unit):
            narrow(box)
        stays = unit.sizePolicy()
        stays.setRetainSizeWhenHidden(True)  # fields below each other stay in line
        unit.setSizePolicy(stays)
        selected = _Chosen(part, what, unit)
        what.currentIndexChanged.connect(lambda _: _fill_units(selected))
        what.setCurrentIndex(max(what.findData(meaning(part.before, "")[0]), 0))
        _fill_units(selected)
        self.parts.addLayout(row(label(words, "head"), what, unit, spacing=8))
        return selected

    def profile(self) -> Profile:
        """Return what is said now.

        Raises:
            InputError: it cannot be.
        """
        values, groups = [], {}
        for place, one in enumerate(self._numbers):
            key = one.what.currentData()
            if key:
                groups[place] = f"v{place + 1}"
                values.append(ProfileValue(f"v{place + 1}", key, one.unit.currentText()))
        pattern = pattern_for(self._line, groups)
        return replace(self._port_settings(), values=tuple(values), pattern=pattern)

    def _save(self) -> None:
        folder, profile = self._context.desk.archive.folder / "profiles", self.profile()
        if not profile.values:
            self._refused(tr("No number has a meaning yet; click a line and choose."))
            return

        def kept(_: object) -> None:
            self.saved.emit(profile)
            self.accept()

        self._context.run(lambda _task: save_profile(folder, profile), kept, failed=self._refused)

    def _refused(self, sentence: str) -> None:
        self._show_message(sentence, "ember")

    def _show_message(self, words: str, role: str = "muted") -> None:
        set_role(self.words, role)
        self.words.setText(words)

    def reject(self) -> None:
        if self._task is not None:
            self._task.cancel()
        super().reject()


def _fill_units(one: _Chosen) -> None:
    one.unit.clear()
    key = one.what.currentData()
    if key:
        one.unit.addItems([shown.name for shown in shown_units(quantity(key).unit)])
    one.unit.setVisible(bool(key))
