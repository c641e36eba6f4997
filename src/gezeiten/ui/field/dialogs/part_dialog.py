"""Offloading a part of a mission: from and until on a small picture of its extent."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QIntValidator, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QDialog, QLineEdit, QWidget

from gezeiten.desk.logger.memory_extent import MissionExtent
from gezeiten.domain.series.coverage import size
from gezeiten.domain.series.drawing.thinning import MOST_EVERY, ThinKind, Thinning
from gezeiten.domain.series.timeline import Span, duration_text
from gezeiten.ui.format.i18n import counted, day_and_time, number, tr
from gezeiten.ui.parts.date_time_field import DateTimeField
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.widgets import Facts, button, column, label, row, set_role
from gezeiten.ui.shell.app_context import AppContext

_HANDLE = 9.0


class ExtentBar(QWidget):
    """What a mission holds: kept solid, not kept dashed; the chosen stretch between two handles.

    chosen: (start, end) in UTC ms, after a drag.
    """

    chosen = Signal(object)

    def __init__(self, context: AppContext, whole: Span, open_spans: list[Span]) -> None:
        super().__init__()
        self._context, self._extent, self._open = context, whole, open_spans
        self.span = whole
        self._drags = -1
        self.setMinimumHeight(64)
        self.setAccessibleName(tr("Extent of the mission"))

    def _x(self, at_ms: float) -> float:
        begin, end = self._extent
        share = (at_ms - begin) / max(end - begin, 1)
        return _HANDLE + share * (self.width() - 2 * _HANDLE)

    def _at(self, x: float) -> int:
        begin, end = self._extent
        share = (x - _HANDLE) / max(self.width() - 2 * _HANDLE, 1)
        return round(begin + min(max(share, 0.0), 1.0) * (end - begin))

    def paintEvent(self, _event: QPaintEvent) -> None:
        t = self._context.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QRectF(_HANDLE, 22, self.width() - 2 * _HANDLE, 20)
        painter.fillRect(middle, t.color("tide"))
        for begin, end in self._open:
            part = QRectF(self._x(begin), 22, max(self._x(end) - self._x(begin), 2), 20)
            painter.fillRect(part, t.color("tide_wash"))
            painter.setPen(QPen(t.color("tide"), 1.2, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(part)
        left, right = (self._x(at) for at in self.span)
        shade = t.color("ground")
        shade.setAlpha(190)
        for start, stop in ((float(_HANDLE), left), (right, float(self.width() - _HANDLE))):
            painter.fillRect(QRectF(start, 20, max(stop - start, 0), 24), QBrush(shade))
        painter.setPen(QPen(t.color("ink"), 2))
        painter.setBrush(t.color("brass"))
        for x in (left, right):
            painter.drawLine(QPointF(x, 14), QPointF(x, 50))
            painter.drawEllipse(QPointF(x, 14), 5, 5)
        painter.end()

    def set_span(self, span: Span) -> None:
        """Show another stretch."""
        self.span = span
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        left, right = (abs(self._x(at) - x) for at in self.span)
        self._drags = 0 if left <= right else 1
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drags < 0:
            return
        at = self._at(event.position().x())
        begin, end = self.span
        self.span = (min(at, end), end) if self._drags == 0 else (begin, max(at, begin))
        self.update()
        self.chosen.emit(self.span)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        self._drags = -1


class PartDialog(QDialog):
    """A stretch, and whether its readings come or only an overview of them.

    wanted: reading ranges by mission number. overview_wanted: (mission number, Thinning).
    """

    wanted = Signal(object)
    overview_wanted = Signal(int, object)

    def __init__(
        self,
        parent: QWidget,
        context: AppContext,
        extent: MissionExtent,
        serial: str,
        zone: str,
        rate: float | None,
    ) -> None:
        super().__init__(parent)
        self._extent, self._zone, self._rate = extent, zone, rate
        self._own_every = False
        self.setWindowTitle(tr("Offload a part of %1").replace("%1", serial))
        self.resize(680, 400)
        self.bar = ExtentBar(context, extent.span, extent.open_spans)
        opened = extent.open_spans
        start = opened[0][0] if opened else extent.span[0]
        self.bar.set_span((start, extent.span[1]))
        self._build()
        self._show_fields()
        self.bar.chosen.connect(lambda _: self._show_fields())
        for field in (self.since, self.until):
            field.changed.connect(self._typed)
        self.kind.currentIndexChanged.connect(lambda _: self._show_facts())
        self.every.textEdited.connect(lambda _: self._select_every())
        self._show_facts()

    def _build(self) -> None:
        self.since, self.until = DateTimeField(tr("From")), DateTimeField(tr("Until"))
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("What to offload"))
        for kind, words in (
            (None, tr("All readings of the period")),
            (ThinKind.NTH, tr("Overview: every nth reading")),
            (ThinKind.MEANS, tr("Overview: means, with lowest and highest")),
        ):
            self.kind.addItem(words, kind)
        self.every = QLineEdit()
        self.every.setValidator(QIntValidator(1, MOST_EVERY))
        self.every.setFixedWidth(90)
        self.every.setAccessibleName(tr("Readings for one value"))
        self.of_words = label(tr("one value per"), "muted")
        self.readings_words = label(tr("readings"), "muted")
        self.facts = Facts()
        self.note = label("", "muted", wrap=True)
        self.take = button("", self._accept, "primary")
        self.take.setDefault(True)
        self.setLayout(
            column(
                label(tr("Solid: already saved. Dashed: on the logger only."), "muted"),
                self.bar,
                row(label(tr("From")), self.since, label(tr("Until")), self.until, 1),
                row(self.kind, self.of_words, self.every, self.readings_words, 1),
                self.facts,
                self.note,
                1,
                row(self.take, button(tr("Close"), self.reject), 1),
                margins=16,
            )
        )

    def _show_fields(self) -> None:
        for field, at in zip((self.since, self.until), self.bar.span, strict=True):
            field.show_instant(at, self._zone)
        self._show_facts()

    def _typed(self) -> None:
        """Take the period that is typed; one that ends before it begins is refused."""
        try:
            span = (self.since.instant_ms(self._zone), self.until.instant_ms(self._zone))
        except FieldError as exc:
            self._refuse(str(exc))
            return
        if span[1] <= span[0]:
            self._refuse(tr("The period ends before it begins; type a later end."))
            return
        self.bar.set_span(span)
        self._show_facts()

    def _refuse(self, sentence: str) -> None:
        self.note.setText(sentence)
        set_role(self.note, "ember")
        self.take.setEnabled(False)

    def _select_every(self) -> None:
        self._own_every = True
        self._show_facts()

    def _thinning(self) -> Thinning | None:
        """Return the overview that is chosen, None where all readings are to come."""
        kind = self.kind.currentData()
        if kind is None:
            return None
        return self._extent.overview(self.bar.span, ThinKind(kind), int(self.every.text() or 0))

    def _show_facts(self) -> None:
        if not self._own_every:
            self.every.setText(str(self._extent.neat_every(self.bar.span)))
        thinning = self._thinning()
        for part in (self.of_words, self.every, self.readings_words):
            part.setVisible(thinning is not None)
        if thinning is None:
            self._show_selection()
        else:
            self._show_overview(thinning)
        words = " – ".join(day_and_time(at, self._zone) for at in self.bar.span)
        self.bar.setAccessibleDescription(words)

    def _show_selection(self) -> None:
        ranges = self._extent.missing_in(self.bar.span)
        count = size(ranges)
        self.facts.show_facts(
            [
                (tr("Offloads"), counted(count, "%n reading", "%n readings")),
                (
                    tr("Still to offload"),
                    counted(self._extent.left_open(ranges), "%n reading", "%n readings"),
                ),
                (tr("Takes about"), self._estimate(self._extent.bytes_of(ranges))),
            ]
        )
        self.note.setText("")
        self.take.setText(tr("Offload this part"))
        self.take.setEnabled(bool(count))

    def _show_overview(self, thinning: Thinning) -> None:
        count = max(thinning.values, 0)
        words = counted(count, "%n value a channel", "%n values a channel")
        if thinning.kind == ThinKind.MEANS:
            words += tr(", each with lowest and highest")
        self.facts.show_facts(
            [
                (tr("Offloads"), words),
                (
                    tr("Still to offload"),
                    counted(self._extent.left_open([]), "%n reading", "%n readings"),
                ),
                (tr("Takes about"), self._estimate(self._extent.overview_bytes(thinning))),
            ]
        )
        self.note.setText(
            tr(
                "An overview is a sketch: Trends draws it dotted until the readings are "
                "offloaded, and it counts in no statistic."
            )
        )
        self.take.setText(tr("Offload this overview"))
        self.take.setEnabled(thinning.is_possible)

    def _estimate(self, length: int) -> str:
        if self._rate is None:
            return tr("not known: the speed of this line has not been measured yet")
        words = duration_text(max(round(1000 * length / self._rate), 1000))
        rate = tr("at %1 kB/s, as last measured on this line")
        return f"{words} · {rate.replace('%1', number(self._rate / 1000, 1))}"

    def _accept(self) -> None:
        thinning, mission = self._thinning(), self._extent.entry.mission
        if thinning is None:
            self.wanted.emit({mission: self._extent.missing_in(self.bar.span)})
        else:
            self.overview_wanted.emit(mission, thinning)
        self.accept()
