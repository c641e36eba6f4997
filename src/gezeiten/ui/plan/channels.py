"""Channels and their limits: a line a channel, a line a limit under it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtGui import QColor
from PySide6.QtWidgets import QCheckBox, QColorDialog, QPushButton, QVBoxLayout, QWidget

from gezeiten.desk.logger.contact import LoggerCard
from gezeiten.domain.base.intervals import interval_text, parse_interval_s
from gezeiten.domain.limits.limits import Counting, LimitRule, no_sensor_rule
from gezeiten.domain.limits.windows import NAMED_WINDOWS, parse_window, window_choice
from gezeiten.domain.plan.models import ChannelSpec
from gezeiten.domain.plan.plan import ChannelSetting, Plan
from gezeiten.domain.quantities.quantities import quantity
from gezeiten.domain.quantities.units import ShownUnit, shown_units
from gezeiten.link.registers import LiveValue
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.format.units import Units
from gezeiten.ui.parts.field_error import FieldError
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.number_field import number_of, plain_number, write_number
from gezeiten.ui.parts.plain import literal
from gezeiten.ui.parts.widgets import button, clear, label, row, rule
from gezeiten.ui.plan.section import EditContext, QuietCombo, Section, line, parsed

_KINDS = (
    ("above alarm", "▲ alarm above"),
    ("above warning", "▲ warn above"),
    ("below alarm", "▼ alarm below"),
    ("below warning", "▼ warn below"),
    ("absent alarm", "⊘ no sensor"),
    ("absent warning", "⊘ no sensor, warn"),
)
_COUNTINGS = (
    ("consecutive", "consecutive"),
    ("accumulated", "accumulated"),
    ("daily", "accum. daily"),
)


class LimitLine(QWidget):
    """One limit: what, value, for longer than, how counted, when, hysteresis.

    key: of its channel or series; remove: takes it out, None where it stands alone.
    """

    def __init__(
        self,
        key: str,
        unit: Callable[[], ShownUnit],
        changed: Callable[..., None],
        remove: Callable[[LimitLine], None] | None,
    ) -> None:
        super().__init__()
        self.key, self._unit = key, unit
        name = quantity(key).name
        self.kind = QuietCombo(f"{name}, {tr('limit')}", ((k, tr(t)) for k, t in _KINDS))
        self.value = line(f"{name}, {tr('value')}", changed, width=64, hint=tr("value"))
        self.unit_name = label("", "muted")
        self.delay = line(f"{name}, {tr('for longer than')}", changed, width=68, hint=tr("at once"))
        self.delay.setToolTip(tr("For longer than"))
        self.counting = QuietCombo(f"{name}, {tr('counted')}", ((k, tr(t)) for k, t in _COUNTINGS))
        self.hours = QuietCombo(f"{name}, {tr('when')}")
        self.hours.setEditable(True)
        self.hours.setToolTip(
            tr(
                "Hours of the week in which the limit applies: choose, or type like "
                "Mon–Fri 08:00–17:00"
            )
        )
        choices = ["always"]
        for named, _ in NAMED_WINDOWS:
            choices += [named, f"outside {named}"]
        self.hours.addItems([tr(choice) for choice in choices])
        hint = tr("hysteresis")
        self.hysteresis = line(f"{name}, {hint}", changed, width=108, hint=hint)
        self.hysteresis.setToolTip(
            tr("Hysteresis: an excursion ends only when the value is back inside by this much")
        )
        fields = [
            self.kind,
            self.value,
            self.unit_name,
            self.delay,
            self.counting,
            self.hours,
            self.hysteresis,
        ]
        if remove is not None:
            drop = button("×", lambda: remove(self), "link")
            drop.setAccessibleName(f"{name}, {tr('take this limit out')}")
            drop.setFixedWidth(34)
            fields.append(drop)
        self.setLayout(FlowLayout(*fields, spacing=5, is_centred=True))
        self.kind.currentIndexChanged.connect(changed)
        self.kind.currentIndexChanged.connect(self._update_fields)
        self.counting.currentIndexChanged.connect(changed)
        self.hours.editTextChanged.connect(changed)
        self._update_fields()

    def _update_fields(self) -> None:
        """Without a sensor there is no value to compare."""
        has_value = not self.kind.currentData().startswith("absent")
        for widget in (self.value, self.hysteresis, self.counting):
            widget.setEnabled(has_value)
        self.unit_name.setText(self._unit().name if has_value else "")

    def show_rule(self, limit_rule: LimitRule) -> None:
        unit = self._unit()
        self.kind.select(f"{limit_rule.side} {limit_rule.level}")
        if limit_rule.has_value:
            write_number(self.value, unit.shown(limit_rule.value))
        hysteresis = unit.shown_difference(limit_rule.hysteresis)
        self.hysteresis.setText(plain_number(hysteresis) if hysteresis else "")
        self.delay.setText(interval_text(limit_rule.delay_s) if limit_rule.delay_s else "")
        self.counting.select("daily" if limit_rule.daily else limit_rule.counting)
        self.hours.setEditText(tr(window_choice(limit_rule.window)))
        self._update_fields()

    def rule(self) -> LimitRule:
        """Return the rule.

        Raises:
            FieldError: a field makes no sense.
        """
        side, level = self.kind.currentData().split()
        unit, name = self._unit(), quantity(self.key).name
        delay_s = int(parsed(self.delay, parse_interval_s)) if self.delay.text().strip() else 0
        typed_hours = self.hours.lineEdit()
        assert typed_hours is not None  # the choice is editable
        window = parsed(typed_hours, parse_window)
        if side == "absent":
            return no_sensor_rule(self.key, delay_s, level, window)
        value = _tidy(unit.recorded(number_of(self.value, name)))
        hysteresis = 0.0
        if self.hysteresis.text().strip():
            typed = number_of(self.hysteresis, tr("the hysteresis"))
            hysteresis = _tidy(unit.recorded_difference(typed))
        selected = self.counting.currentData()
        counting: Counting = "consecutive" if selected == "consecutive" else "accumulated"
        return LimitRule(
            self.key, side, value, delay_s, counting, selected == "daily", level, hysteresis, window
        )


def _tidy(value: float) -> float:
    """A value typed in another unit, without the dust of the conversion."""
    return round(value, 6)


class ChannelLine(QWidget):
    """One channel: on or off, what it reads, its limits, and what is special about it."""

    def __init__(self, spec: ChannelSpec, units: Units, changed: Callable[..., None]) -> None:
        super().__init__()
        self.spec, self._units, self._changed = spec, units, changed
        self.limits: list[LimitLine] = []
        self._rules_before: list[LimitRule | None] = []
        name = quantity(spec.key)
        self.on = QCheckBox(literal(name.name))
        self.on.setStyleSheet("font-weight: 600;")
        self.reads = label("")
        self.add = button(tr("+ limit"), lambda: self.add_limit(), "link")
        self.add.setAccessibleName(f"{name.name}: {tr('add a limit')}")
        self.more = button(tr("more"), self._toggle_more, "link")
        self.more.setAccessibleName(f"{name.name}: {tr('sensor, name, colour, unit')}")
        self.more.setCheckable(True)
        self._special = self._special_fields(name.name, name.unit)
        self._rules = QVBoxLayout()
        self._rules.setContentsMargins(22, 0, 0, 0)
        self._rules.setSpacing(10)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 2, 0, 2)
        whole.setSpacing(3)
        whole.addLayout(row(self.on, self.reads, 1, self.add, self.more, spacing=10))
        whole.addWidget(self._special)
        whole.addLayout(self._rules)
        whole.addWidget(rule())
        self.on.toggled.connect(self._toggled)

    def _special_fields(self, name: str, unit: str) -> QWidget:
        sensors = [(sensor.key, tr(sensor.name)) for sensor in self.spec.sensors]
        self.sensor = QuietCombo(f"{name}, {tr('sensor')}", sensors)
        if not sensors:  # never shown before it has a parent: it would be a window of its own
            self.sensor.hide()
        self.own_name = line(f"{name}, {tr('name')}", self._changed, hint=tr("own name"))
        self.unit = QuietCombo(
            f"{name}, {tr('unit')}",
            [("", tr("default unit"))] + [(u.name, u.name) for u in shown_units(unit)],
        )
        if len(shown_units(unit)) < 2:
            self.unit.hide()
        self.color: QPushButton = button(tr("Colour"), self._pick_color)
        self.color.setAccessibleName(f"{name}, {tr('colour')}")
        self._color = ""
        special = QWidget()
        fields = row(self.sensor, self.own_name, self.unit, self.color, spacing=6, margins=0)
        fields.setContentsMargins(22, 0, 0, 0)
        special.setLayout(fields)
        special.hide()
        self.sensor.currentIndexChanged.connect(self._changed)
        self.unit.currentIndexChanged.connect(self._unit_changed)
        return special

    def _toggle_more(self) -> None:
        self._special.setVisible(self.more.isChecked())

    def _toggled(self, is_on: bool) -> None:
        for part in (self.add, self.more, *self.limits):
            part.setEnabled(is_on)
        self._changed()

    def shown_unit(self) -> ShownUnit:
        """The unit in which this channel is shown and its limits are typed."""
        return self._units.of(self.spec.key, self.unit.currentData() or "")

    def _unit_changed(self) -> None:
        """Limits stay what they are; only how they are written changes."""
        rules = self._rules_before
        for one, known in zip(self.limits, rules, strict=False):
            if known is not None:
                one.show_rule(known)
        self._changed()

    def _readable(self) -> list[LimitRule | None]:
        limit_rules: list[LimitRule | None] = []
        for limit in self.limits:
            try:
                limit_rules.append(limit.rule())
            except FieldError:
                limit_rules.append(None)
        return limit_rules

    def _pick_color(self) -> None:
        dialog = QColorDialog(QColor(self._color or "#0E5A66"), self)
        dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
        dialog.colorSelected.connect(lambda color: self._set_color(color.name()))
        dialog.open()

    def _set_color(self, color: str) -> None:
        self._color = color
        shown = f"border-left: 14px solid {color};" if color else ""
        self.color.setStyleSheet(shown)
        self._changed()

    def show_channel(self, plan: Plan, live: LiveValue) -> None:
        """Show a channel of a plan and what it reads now."""
        setting = plan.setting(self.spec.key)
        self.on.setChecked(self.spec.key in plan.channels)
        self.sensor.select(
            setting.sensor or (self.spec.sensors[0].key if self.spec.sensors else "")
        )
        self.own_name.setText(setting.name)
        self.unit.select(setting.unit)
        self._set_color(setting.color)
        self.more.setChecked(not setting.is_usual)
        self._toggle_more()
        for rule_ in plan.rules_for(self.spec.key):
            self.add_limit(rule_)
        self.show_live(live)
        self._toggled(self.on.isChecked())

    def show_live(self, live: LiveValue) -> None:
        self.reads.setText(self._units.reading(self.spec.key, live, self.unit.currentData() or ""))

    def add_limit(self, limit_rule: LimitRule | None = None) -> LimitLine:
        """Add a line for a limit; a new one gets the focus."""
        limit_line = LimitLine(self.spec.key, self.shown_unit, self._rule_changed, self.drop_limit)
        if limit_rule is not None:
            limit_line.show_rule(limit_rule)
        self.limits.append(limit_line)
        self._rules.addWidget(limit_line)
        if limit_rule is None:
            limit_line.kind.setFocus()
        self._rule_changed()
        return limit_line

    def drop_limit(self, limit_line: LimitLine) -> None:
        """Take a limit out."""
        self.limits.remove(limit_line)
        limit_line.hide()
        limit_line.deleteLater()
        self.add.setFocus()
        self._rule_changed()

    def _rule_changed(self, *_args: object) -> None:
        self._rules_before = self._readable()
        self._changed()

    def setting(self) -> ChannelSetting:
        usual = self.spec.sensors[0].key if self.spec.sensors else ""
        sensor = self.sensor.currentData() or ""
        return ChannelSetting(
            self.spec.key,
            "" if sensor == usual else sensor,
            self.own_name.text().strip(),
            self._color,
            self.unit.currentData() or "",
        )


class ChannelsSection(Section):
    """All channels of the model."""

    fields = ("channels", "limits", "settings")

    def __init__(self, units: Callable[[], Units]) -> None:
        super().__init__()
        self._units = units
        self.lines: list[ChannelLine] = []
        self._list = QVBoxLayout()
        self._list.setSpacing(2)
        self._quiet = False
        self.body.addWidget(label(tr("Channels and limits"), "head"))
        self.body.addLayout(self._list)
        self.body.addWidget(self.problem)

    def _changed(self, *_args: object) -> None:
        if not self._quiet:
            self.changed.emit()

    def show_plan(self, plan: Plan, context: EditContext) -> None:
        self._quiet = True
        clear(self._list)
        self.lines = []
        card = context.card
        for spec, live in zip(card.identity.model.channels, card.live, strict=True):
            channel_line = ChannelLine(spec, self._units(), self._changed)
            channel_line.show_channel(plan, live)
            self.lines.append(channel_line)
            self._list.addWidget(channel_line)
        self._quiet = False

    def show_live(self, card: LoggerCard) -> None:
        """Show what the channels read now."""
        for one, live in zip(self.lines, card.live, strict=True):
            one.show_live(live)

    def line_of(self, key: str) -> ChannelLine:
        """Return the line of a channel."""
        return next(one for one in self.lines if one.spec.key == key)

    def applied(self, plan: Plan, context: EditContext) -> Plan:
        on = [one for one in self.lines if one.on.isChecked()]
        rules = [limit.rule() for one in on for limit in one.limits]
        # in the order in which they came, so that a plan only looked at is not a changed one
        places = {rule.key: place for place, rule in enumerate(plan.limits)}
        rules.sort(key=lambda rule: places.get(rule.key, len(places)))
        return replace(
            plan,
            channels=tuple(one.spec.key for one in on),
            limits=tuple(rules),
            settings=tuple(s for one in on if not (s := one.setting()).is_usual),
        )
