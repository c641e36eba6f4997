"""Sites and points in one dialog, a tree and a form that follow each other.

They are made, named, moved, retired; position, heights, duties.
"""

from __future__ import annotations

from collections.abc import Callable
from zoneinfo import available_timezones

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QCompleter,
    QDialog,
    QGridLayout,
    QLineEdit,
    QScrollArea,
    QStackedWidget,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from gezeiten.desk.record.statements.site_editor import (
    AllFacts,
    all_facts,
    retire_point,
    retire_site,
    save_point,
    save_site,
)
from gezeiten.desk.sites.places import PointPlace, SitePlace, sites
from gezeiten.domain.base.intervals import interval_text, parse_interval_s
from gezeiten.domain.facts.sites import PointFacts, SiteFacts
from gezeiten.domain.quantities.quantities import QUANTITIES, in_order, quantity
from gezeiten.errors import InputError
from gezeiten.ui.format.i18n import tr
from gezeiten.ui.parts.field_error import FieldError, mark
from gezeiten.ui.parts.flow import FlowLayout
from gezeiten.ui.parts.number_field import number_of
from gezeiten.ui.parts.plain import literal
from gezeiten.ui.parts.widgets import button, column, give_room, label, row, tree_items
from gezeiten.ui.plan.section import parsed
from gezeiten.ui.points.calculated_dialog import CalculatedDialog
from gezeiten.ui.points.limits_dialog import LimitsDialog
from gezeiten.ui.points.sources_dialog import SourcesDialog
from gezeiten.ui.shell.app_context import AppContext
from gezeiten.ui.work.acting import ActionRunner

_THING = Qt.ItemDataRole.UserRole


class _Form(QWidget):
    """Fields in two columns under their captions."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(3)
        self._count = 0

    def add(self, caption: str, field: QWidget, *, wide: bool = False) -> None:
        """Add a field; a wide one takes a line of its own."""
        if wide and self._count % 2:
            self._count += 1
        line, place = divmod(self._count, 2)
        above = label(caption, "muted")
        above.setBuddy(field)
        field.setAccessibleName(caption)
        span = 2 if wide else 1
        self._grid.addWidget(above, 2 * line, place, 1, span)
        self._grid.addWidget(field, 2 * line + 1, place, 1, span)
        self._count += span

    def text(self, caption: str, hint: str = "") -> QLineEdit:
        """Add a text field."""
        field = QLineEdit()
        field.setMaxLength(200)
        field.setPlaceholderText(hint)
        self.add(caption, field)
        return field


def _number(field: QLineEdit, what: str) -> float | None:
    """Return the number in a field, None where it is empty."""
    return number_of(field, what) if field.text().strip() else None


def _whole_number(field: QLineEdit, what: str) -> int | None:
    """Return the whole number in a field, None where it is empty."""
    value = _number(field, what)
    if value is not None and (value != int(value) or abs(value) > 1e6):
        raise FieldError(field, tr("A whole number is needed; type one, or leave the field empty."))
    return None if value is None else int(value)


def _shown(value: float | None) -> str:
    return "" if value is None else f"{value:.15g}"


class SiteForm(_Form):
    """The facts of a site."""

    def __init__(self) -> None:
        super().__init__()
        self.name = self.text(tr("Name"))
        self.kind = self.text(tr("Kind"), tr("salt marsh, museum, cold store ..."))
        self.zone = QComboBox()
        self.zone.setEditable(True)
        self.zone.addItems(sorted(available_timezones()))
        proposes = QCompleter(self.zone.model(), self.zone)
        proposes.setFilterMode(Qt.MatchFlag.MatchContains)
        proposes.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        proposes.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.zone.setCompleter(proposes)
        self.add(tr("Time zone"), self.zone)
        self.height_m = self.text(tr("Height, m"), tr("above the datum"))
        self.latitude = self.text(tr("Latitude, °"), "53.86")
        self.longitude = self.text(tr("Longitude, °"), "8.02")
        self.every = self.text(tr("Visit every … days"), tr("not required"))

    def show_facts(self, facts: SiteFacts) -> None:
        self.name.setText(facts.name)
        self.kind.setText(facts.kind)
        self.zone.setCurrentText(facts.zone)
        self.height_m.setText(_shown(facts.height_m))
        self.latitude.setText(_shown(facts.latitude))
        self.longitude.setText(_shown(facts.longitude))
        self.every.setText(_shown(facts.visit_every_days))

    def facts(self, site_facts: SiteFacts | None) -> SiteFacts:
        """Return the facts in the fields.

        Raises:
            FieldError: a field makes no sense.
        """
        days = _whole_number(self.every, tr("the number of days"))
        return SiteFacts(
            self.name.text(),
            self.kind.text(),
            self.zone.currentText().strip(),
            _number(self.latitude, tr("the latitude")),
            _number(self.longitude, tr("the longitude")),
            _number(self.height_m, tr("the height")),
            site_facts.next_visit_ms if site_facts else None,
            days,
        )


class PointForm(_Form):
    """The facts of a point."""

    def __init__(self) -> None:
        super().__init__()
        self.name = self.text(tr("Name"))
        self.site = QComboBox()
        self.add(tr("Site (choosing another moves the point with its record)"), self.site)
        self.height_m = self.text(tr("Height of the sensor, m"), tr("above the datum"))
        self.rim = self.text(
            tr("Height of the reference mark, m"), tr("where dips are measured from")
        )
        self.every = self.text(tr("Required interval, at most"), tr("not required"))
        self.fill_limit = self.text(tr("Fill gaps by a straight line up to"))
        self.checks = self.text(tr("Check readings a day"), tr("not required"))
        self.working_days = QCheckBox(tr("Monday to Friday only"))
        self.add(tr("Days of check readings"), self.working_days)
        self.duties: dict[str, QCheckBox] = {}
        ticks = QWidget()
        self._ticks = QGridLayout(ticks)
        self._ticks.setContentsMargins(0, 0, 0, 0)
        for known in in_order(QUANTITIES.values()):
            if known.is_usual or known.is_own:
                self._add_schedule_box(known.key)
        self.add(tr("Required quantities"), ticks, wide=True)
        self.another = QComboBox()
        self.another.addItem(tr("another quantity …"), "")
        for known in in_order(QUANTITIES.values()):
            if known.key not in self.duties:
                self.another.addItem(known.name, known.key)
        self.another.activated.connect(self._add_another)
        self.add(tr("Another required quantity"), self.another)

    def _add_schedule_box(self, key: str) -> QCheckBox:
        if key not in self.duties:
            box = QCheckBox(literal(quantity(key).name))
            self._ticks.addWidget(box, len(self.duties) // 2, len(self.duties) % 2)
            self.duties[key] = box
        return self.duties[key]

    def _add_another(self, index: int) -> None:
        key = self.another.itemData(index)
        if key:
            self._add_schedule_box(key).setChecked(True)
            self.another.setCurrentIndex(0)

    def show_sites(self, listed: list[SitePlace]) -> None:
        self.site.clear()
        for site in listed:
            self.site.addItem(site.name, site.id)

    def show_facts(self, facts: PointFacts, site_id: int) -> None:
        self.name.setText(facts.name)
        self.site.setCurrentIndex(self.site.findData(site_id))
        self.height_m.setText(_shown(facts.height_m))
        self.rim.setText(_shown(facts.measuring_point_height_m))
        schedule = facts.duty_interval_s
        self.every.setText(interval_text(schedule) if schedule else "")
        self.fill_limit.setText(interval_text(facts.fill_limit_s))
        self.checks.setText(_shown(facts.checks_a_day))
        self.working_days.setChecked(facts.checks_working_days)
        for key in facts.duty_channels:
            self._add_schedule_box(key)
        for key, box in self.duties.items():
            box.setChecked(key in facts.duty_channels)

    def facts(self) -> PointFacts:
        """Return the facts in the fields.

        Raises:
            FieldError: a field makes no sense.
        """
        every = int(parsed(self.every, parse_interval_s)) if self.every.text().strip() else None
        return PointFacts(
            self.name.text(),
            _number(self.height_m, tr("the height")),
            _number(self.rim, tr("the height")),
            tuple(key for key, box in self.duties.items() if box.isChecked()),
            every,
            int(parsed(self.fill_limit, parse_interval_s)),
            _whole_number(self.checks, tr("the number of check readings")),
            self.working_days.isChecked(),
        )


class PlacesDialog(QDialog):
    """Sites with their points at the left, the facts of the chosen one at the right."""

    def __init__(self, parent: QWidget, context: AppContext, point_id: int | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Sites and points"))
        self._context = context
        self._acting = ActionRunner(context, self._show_message)
        self._sites: list[SitePlace] = []
        self._facts = AllFacts({}, {})
        self._new: tuple[str, int] | None = None
        self._rim_moved = False
        self.list = QTreeWidget()
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.setAccessibleName(tr("Sites and points"))
        self.list.setFixedWidth(270)
        self.list.currentItemChanged.connect(lambda *_: self._selection_changed())
        self.site_form, self.point_form = SiteForm(), PointForm()
        self.forms = QStackedWidget()
        for form in (self.site_form, self.point_form):
            page = QWidget()
            page.setLayout(column(form, 1))
            scroll = QScrollArea()
            scroll.setWidget(page)
            scroll.setWidgetResizable(True)
            scroll.setFrameShape(QScrollArea.Shape.NoFrame)
            self.forms.addWidget(scroll)
        self.title = label("", "head")
        self.problem = label("", "ember", wrap=True)
        self.problem.hide()
        self._wrong: QWidget | None = None
        self.save_button = button(tr("Save changes"), self.save, "primary")
        self.retire_button = button("", self.retire)
        self.sources_button = button(tr("Deployments …"), self.show_sources)
        self.limits_button = button(tr("Limits …"), self.show_limits)
        self.calculated_button = button(tr("Calculated series …"), self.show_calculated)
        self.depth_button = button(tr("Sensor depth …"), self.show_sensor_depth)
        self._ways = (
            self.sources_button,
            self.limits_button,
            self.calculated_button,
            self.depth_button,
        )
        left = column(
            self.list,
            row(
                button(tr("New site"), self.new_site),
                button(tr("New point"), self.new_point),
                spacing=6,
            ),
        )
        right = column(
            self.title,
            self.forms,
            self.problem,
            FlowLayout(*self._ways, spacing=8),
            row(self.retire_button, 1, button(tr("Close"), self.accept), self.save_button),
        )
        self.setLayout(row(left, right, spacing=16, margins=16))
        give_room(self, 1, 1)
        self.resize(900, 600)
        self._load(("point", point_id) if point_id else None)

    # -- showing -------------------------------------------------------------------------------
    def _load(self, choose: tuple[str, int] | None = None) -> None:
        desk = self._context.desk

        def show(known: tuple[list[SitePlace], AllFacts]) -> None:
            self._sites, self._facts = known
            self._fill(choose)

        self._context.run(
            lambda _task: (sites(desk), all_facts(desk)), show, failed=self._show_message
        )

    def _fill(self, choose: tuple[str, int] | None) -> None:
        new = self._new
        self.point_form.show_sites(self._sites)
        self.list.blockSignals(True)
        self.list.clear()
        for site in self._sites:
            head = self._item(site.name, site, retired=site.retired)
            self.list.addTopLevelItem(head)
            for point in site.points:
                head.addChild(self._item(point.name, point, retired=point.retired))
            head.setExpanded(True)
        self.list.blockSignals(False)
        if new is not None:
            return  # somebody began to type a new one while this was loading
        for item in self._items():
            thing = item.data(0, _THING)
            if choose == (_kind(thing), thing.id):
                self.list.setCurrentItem(item)
        if self.list.currentItem() is None and self._sites:
            self.list.setCurrentItem(self._items()[0])
        if not self._sites:
            self.new_site()

    def _items(self) -> list[QTreeWidgetItem]:
        """Return sites and points in the order shown."""
        return tree_items(self.list)

    def _item(self, name: str, thing: SitePlace | PointPlace, *, retired: bool) -> QTreeWidgetItem:
        item = QTreeWidgetItem([f"{name} ({tr('retired')})" if retired else name])
        item.setData(0, _THING, thing)
        font = item.font(0)
        font.setBold(isinstance(thing, SitePlace))
        font.setItalic(retired)
        item.setFont(0, font)
        return item

    def selected(self) -> SitePlace | PointPlace | None:
        """The chosen site or point; None while a new one is being made."""
        item = self.list.currentItem()
        return item.data(0, _THING) if item and self._new is None else None

    def _selection_changed(self) -> None:
        self._new = None
        item = self.selected()
        self._show_message("")
        if item is None:
            return
        self.title.setText(item.name)
        self.retire_button.setVisible(True)
        self.retire_button.setText(tr("Reactivate") if item.retired else tr("Retire"))
        for method in self._ways:
            method.setVisible(isinstance(item, PointPlace))
        if isinstance(item, SitePlace):
            self.forms.setCurrentIndex(0)
            self.site_form.show_facts(self._facts.sites[item.id])
        else:
            self.forms.setCurrentIndex(1)
            self.point_form.show_facts(self._facts.points[item.id], item.site_id)

    def _show_message(self, sentence: str, widget: QWidget | None = None) -> None:
        if self._wrong is not None:
            mark(self._wrong, wrong=False)
        self._wrong = widget
        if widget is not None:
            mark(widget, wrong=True)
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

    # -- acts ------------------------------------------------------------------------------------
    def new_site(self) -> None:
        """Empty fields for a new site."""
        self._start(("site", 0), tr("New site"), 0)
        self.site_form.show_facts(SiteFacts("", zone=self._context.desk.zone))
        self.site_form.name.setFocus()

    def new_point(self) -> None:
        """Empty fields for a new point at the chosen site."""
        item = self.selected()
        if not self._sites:
            self._show_message(tr("A point belongs to a site; add the site first."))
            return
        at = item.id if isinstance(item, SitePlace) else item.site_id if item else 0
        self._start(("point", at), tr("New point"), 1)
        self.point_form.show_facts(PointFacts(""), at or self._sites[0].id)
        self.point_form.name.setFocus()

    def _start(self, new: tuple[str, int], title: str, form: int) -> None:
        self._new = new
        self.title.setText(title)
        self.forms.setCurrentIndex(form)
        self.retire_button.setVisible(False)
        for method in self._ways:
            method.setVisible(False)
        self._show_message("")

    def show_sources(self) -> None:
        """Show who measured at the chosen point."""
        item = self.selected()
        if isinstance(item, PointPlace):
            SourcesDialog(self, self._context, point=item).open()

    def show_limits(self) -> None:
        """Show the limits of the chosen point."""
        item = self.selected()
        if isinstance(item, PointPlace):
            LimitsDialog(self, self._context, item).open()

    def show_calculated(self) -> None:
        """Show what is calculated at the chosen point."""
        item = self.selected()
        if isinstance(item, PointPlace):
            CalculatedDialog(self, self._context, item).open()

    def show_sensor_depth(self) -> None:
        """Show how the sensor hangs at the chosen point."""
        from gezeiten.ui.points.sensor_depth_dialog import SensorDepthDialog

        item = self.selected()
        if isinstance(item, PointPlace):
            rim_m = self._facts.points[item.id].measuring_point_height_m
            SensorDepthDialog(self, self._context, item, rim_m).open()

    def save(self) -> None:
        """Keep what the fields say."""
        try:
            self._rim_moved = False
            is_site = self.forms.currentIndex() == 0
            action = self._save_site() if is_site else self._save_point()
            self._acting.do(action, self._done)
        except FieldError as exc:
            self._show_message(str(exc), exc.widget)
        except InputError as exc:
            self._show_message(str(exc))

    def _save_site(self) -> Callable[[], tuple[str, int]]:
        desk, item = self._context.desk, self.selected()
        site = item.id if isinstance(item, SitePlace) else None
        seen = self._facts.sites[site] if site else None
        facts = self.site_form.facts(seen)
        return lambda: ("site", save_site(desk, facts, site, seen))

    def _save_point(self) -> Callable[[], tuple[str, int]]:
        desk, item = self._context.desk, self.selected()
        point = item.id if isinstance(item, PointPlace) else None
        at, facts = self.point_form.site.currentData(), self.point_form.facts()
        seen = self._facts.points[point] if point else None
        before_m = seen.measuring_point_height_m if seen is not None else None
        self._rim_moved = before_m is not None and facts.measuring_point_height_m != before_m
        return lambda: ("point", save_point(desk, at, facts, point, seen))

    def retire(self) -> None:
        """Put the chosen one out of use, or take it up again."""
        desk, item = self._context.desk, self.selected()
        if item is None:
            return
        action = retire_site if isinstance(item, SitePlace) else retire_point

        def do() -> tuple[str, int]:
            action(desk, item.id, retired=not item.retired)
            return _kind(item), item.id

        self._acting.do(do, self._done)

    def _done(self, selected: tuple[str, int]) -> None:
        self._new = None
        self._context.archive_changed.emit()
        self._load(selected)
        moved = tr(
            "Saved; dips are measured from the new height from now on. Since when, "
            "and did the sensor move with it? Enter that under “Sensor depth”."
        )
        self._context.show_message(moved if self._rim_moved else tr("Saved."))


def _kind(item: SitePlace | PointPlace) -> str:
    return "site" if isinstance(item, SitePlace) else "point"
