"""The window, one object as Qt has it: strip, seven places, foot line with messages and keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QLocale, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QProgressBar,
    QWidget,
)

from gezeiten.errors import GezeitenError
from gezeiten.ui.format.i18n import counted, region, tr
from gezeiten.ui.parts.date_time_field import rewrite_dates
from gezeiten.ui.parts.number_field import rewrite_numbers
from gezeiten.ui.parts.plain import plain_tip
from gezeiten.ui.parts.widgets import column, label, set_role
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.app_context import AppContext, Place, Practice
from gezeiten.ui.shell.commands import Command
from gezeiten.ui.shell.finder import Finder
from gezeiten.ui.shell.place_stack import PlaceStack
from gezeiten.ui.shell.strip import Strip
from gezeiten.ui.shell.theme import THEMES, base_font, draw_signs, palette, signs_folder, stylesheet
from gezeiten.ui.shell.vault_commands import VaultActions
from gezeiten.ui.work.after_paint import AfterPaint
from gezeiten.ui.work.following import Following
from gezeiten.ui.work.read_only import is_offered

if TYPE_CHECKING:
    from gezeiten.desk.base.workspace import Workspace
    from gezeiten.desk.intake.recovery import RecoveryResult
    from gezeiten.desk.office.finder import Thing
    from gezeiten.desk.sites.people import User
    from gezeiten.desk.sites.places import PointPlace
    from gezeiten.ui.texts.folder_watching import TextWatching

SAY_MS, COMPLAIN_MS = 9_000, 60_000
"""A message goes when it is old; a complaint may be looked for after the work at hand."""
CLOSE_AGAIN_MS = 100


class MainWindow(QMainWindow):
    """Holds the places and what they share. opened: the archive is open, where it was not yet;
    not_opened: why it cannot be, a GezeitenError."""

    opened = Signal()
    not_opened = Signal(object)

    def __init__(self, desk: Workspace, practice: Practice | None = None) -> None:
        super().__init__()
        self.setWindowTitle(tr("Gezeiten"))
        self._signs = signs_folder(self)
        self._is_closing = False
        self._counted: dict[str, int] | None = None
        self._shortcuts: list[tuple[int, QShortcut]] = []
        self.context = AppContext(desk, practice)
        self.context.theme = THEMES[desk.settings.theme]
        self.following = Following(self.context)
        self.text_watching: TextWatching | None = None
        self.vault_commands = VaultActions(self, self.context)
        self.stack = self.places = PlaceStack(self.context)
        names = [
            tr("Tideboard"),
            tr("Field desk"),
            tr("Mend"),
            tr("Trends"),
            tr("Excursions"),
            tr("Handover"),
            tr("Logbook"),
        ]
        self.names = names
        self.strip = Strip(names, self.context.theme, self.next_theme, desk.person)
        self._build()
        self._connect()
        if self.context.is_read_only:
            self.strip.show_read_only(places.FIELD_DESK)
        self._apply_theme()
        if desk.is_open:
            self.show_place(places.TIDEBOARD)
            QTimer.singleShot(0, self._start)
        else:
            self._show_cached_board()

    def _show_cached_board(self) -> None:
        """Show the first place as far as it is known, and open the archive once it is seen."""
        board: Any = self.places[places.TIDEBOARD]
        board.is_stale = False
        is_known = board.show_cached()
        self.show_place(places.TIDEBOARD)
        if is_known:
            AfterPaint(board, self._open)
        else:
            self._open()

    def _open(self) -> None:
        desk = self.context.desk

        def work(_task: object) -> GezeitenError | None:
            try:
                desk.open()
            except GezeitenError as exc:
                return exc
            return None

        def done(fault: GezeitenError | None) -> None:
            if fault is not None:
                self.not_opened.emit(fault)
            if fault is not None or self._is_closing:
                return
            self._reload_places()
            self._start()
            self.opened.emit()

        self.context.run(work, done)

    def sizeHint(self) -> QSize:
        return QSize(1280, 800)

    def _build(self) -> None:
        self.message = label("", "muted")
        self.message.setAccessibleName(tr("Message"))
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(160)
        self.bar.hide()
        self.hint = label("", "muted")
        foot = QWidget()
        foot.setObjectName("paper")
        foot.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        line = QHBoxLayout(foot)
        line.setContentsMargins(16, 5, 16, 5)
        line.addWidget(self.message, 1)
        line.addWidget(self.bar)
        line.addWidget(self.hint)
        whole = QWidget()
        whole.setObjectName("ground")
        whole.setLayout(column(self.strip, self.stack, foot, spacing=0))
        self.setCentralWidget(whole)
        self._hush = QTimer(self)
        self._hush.setSingleShot(True)
        self._hush.timeout.connect(lambda: self.message.setText(""))

    def _connect(self) -> None:
        self.strip.place_chosen.connect(self.show_place)
        self.strip.person_wanted.connect(self.show_people)
        self.context.go.connect(self.show_place)
        self.context.said.connect(self._show_message)
        self.context.archive_changed.connect(self._archive_changed)
        self.following.told.connect(
            lambda _: self.field_desk().at_hand.show_followed(self.following.text())
        )
        self.context.wants.connect(self._load_when_visible)
        self.context.begin.connect(self._start_from)
        self.context.logger_wanted.connect(self.show_logger)
        self.context.rows_wanted.connect(self.show_rows)
        self.places.built.connect(self._place_built)
        self.context.works.idle.connect(self.places.build_rest)  # when the first place is loaded
        self._bind(self._window_commands())

    def field_desk(self) -> Any:
        """The Field desk, built by its name when it is wanted: its own type would need it here."""
        return self.places[places.FIELD_DESK]

    def _load_when_visible(self, what: str) -> None:
        {"settings": self.show_settings, "person": self._person_changed}[what]()

    def _start_from(self, what: str) -> None:
        """Take a way on from the first start."""
        field = self.field_desk()
        name, _, typed = what.partition(" ")
        {
            "look": lambda: field.search_addresses(typed),
            "text": field.dialogs.pick_text,
            "folder": field.dialogs.pick_folder,
            "practice": field.dialogs.practice,
            "demonstration": field.dialogs.demonstrate,
        }[name]()

    def _person_changed(self) -> None:
        self.strip.person.setText(self.context.desk.person)

    def _bind(self, commands: list[Command]) -> None:
        for action in self._offered(commands):
            if action.key:
                shortcut = QShortcut(QKeySequence(action.key), self)
                shortcut.setAutoRepeat(action.repeats)
                shortcut.activated.connect(action.handler)
                # keys of a place work wherever the focus is, but in that place only
                shortcut.setEnabled(action.place in (-1, self.stack.currentIndex()))
                self._shortcuts.append((action.place, shortcut))

    def _offered(self, commands: list[Command]) -> list[Command]:
        if not self.context.is_read_only:
            return commands
        no_field = f"go.{places.FIELD_DESK}"
        return [command for command in commands if is_offered(command) and command.id != no_field]

    def _place_built(self, place: Place) -> None:
        place.set_theme(self.context.theme)
        self._show_empty([place])
        self._bind(place.commands())

    def _start(self) -> None:
        """Take in what a killed offload left, then load."""

        def tidy(_task: object) -> RecoveryResult:
            from gezeiten.ui.format.counts import tidied  # see there

            return tidied(self.context.desk)

        def done(recovery_result: RecoveryResult) -> None:
            if recovery_result.imported:
                self.context.show_message(tr("An interrupted offload was imported."))
            if recovery_result.imported or recovery_result.rebuilt:
                self.context.archive_changed.emit()
            else:
                self._count()
            self.following.restart()
            self._watch_texts()

        self.context.run(tidy, done)

    def _watch_texts(self) -> None:
        """Watch the folders in which texts arrive; a start without any needs nothing of that."""
        if self.text_watching is None and self.context.desk.settings.text_folders.strip():
            from gezeiten.ui.texts.folder_watching import TextWatching

            self.text_watching = TextWatching(self.context)
        if self.text_watching is not None:
            self.text_watching.restart()

    # -- acts ----------------------------------------------------------------------------------
    def commands(self) -> list[Command]:
        """All commands: of the window and of every place."""
        place_commands = [
            action for i in self.places.offered() for action in self.places[i].commands()
        ]
        return self._offered(self._window_commands() + place_commands)

    def _window_commands(self) -> list[Command]:
        listed = [
            Command(
                f"go.{i}",
                tr("Go to %1").replace("%1", name),
                f"Ctrl+{i + 1}",
                partial(self.show_place, i),
            )
            for i, name in enumerate(self.names)
        ]
        listed += [
            Command(
                "find",
                tr("Search commands, points, loggers, documents"),
                "Ctrl+K",
                self.show_finder,
            ),
            Command("theme", tr("Next theme: Light, Dark, Sun"), "F10", self.next_theme),
            Command("larger", tr("Larger text"), "Ctrl++", lambda: self.resize_text(25)),
            Command("smaller", tr("Smaller text"), "Ctrl+-", lambda: self.resize_text(-25)),
            Command("settings", tr("Settings"), "Ctrl+,", self.show_settings),
            Command("places", tr("Sites and points"), "Ctrl+Shift+S", self.show_places),
            Command(
                "checks.sheet",
                tr("Check reading sheet for the points of a site"),
                "Ctrl+Shift+H",
                self.show_check_sheet,
            ),
            Command(
                "checks",
                tr("Check readings of the point"),
                "Alt+H",
                self.show_checks,
            ),
            Command("quantities", tr("Quantities and custom quantities"), "", self.show_quantities),
            Command("remarks", tr("Remarks on the point"), "Ctrl+Shift+B", self.show_remarks),
            Command("people", tr("Switch user"), "Ctrl+Shift+W", self.show_people),
            Command("lives", tr("Logger history"), "Ctrl+Shift+L", lambda: self.show_lives()),
            Command(
                "history",
                tr("Logbook entries about the selection"),
                "Ctrl+H",
                self.show_history,
            ),
            Command("quit", tr("Close Gezeiten"), "Ctrl+Q", self.close),
        ]
        return listed + self.vault_commands.commands()

    def show_settings(self, search: str = "") -> None:
        """Open the settings."""
        # opened now and then only: the window starts without its import
        from gezeiten.ui.shell.settings_dialog import SettingsDialog

        dialog = SettingsDialog(self, self.context, search)
        dialog.changed.connect(self._settings_changed)
        dialog.open()

    def _settings_changed(self) -> None:
        before, now = QLocale(), region(self.context.desk.settings.region)
        QLocale.setDefault(now)
        if before != now:
            rewrite_numbers(before, now)
            rewrite_dates()
        self.strip.person.setText(self.context.desk.person)
        self._apply_theme()
        self._archive_changed()
        self.following.restart()
        self._watch_texts()

    def show_history(self) -> None:
        """Show what the logbook has on what is chosen in this place."""
        make = self.places[self.stack.currentIndex()].logbook_filter()
        if make is None:
            self.context.show_message(tr("Select something first to see its entries."))
        else:
            self.show_place(places.LOGBOOK, make)

    def show_logger(self, serial: str) -> None:
        """Show a logger: at hand, or its life."""
        at_hand = not self.context.is_read_only and self.field_desk().loggers.card(serial)
        if at_hand:
            self.show_place(places.FIELD_DESK, serial)
        else:
            self.show_lives(serial)

    def show_places(self) -> None:
        """Open the editor of sites and points."""
        from gezeiten.ui.points.places_dialog import PlacesDialog

        PlacesDialog(self, self.context).open()

    def show_check_sheet(self) -> None:
        """Open a sheet for what is read by hand at the site of the point in hand."""
        from gezeiten.ui.points.check_sheet import CheckSheet

        if not self.context.is_read_only:
            CheckSheet(self, self.context, self._point_in_hand()).open()

    def show_checks(self) -> None:
        """Show what was read by hand at the point in hand."""
        from gezeiten.ui.points.checks_dialog import ChecksDialog

        self._show_for_point(lambda point: ChecksDialog(self, self.context, point).open())

    def show_remarks(self) -> None:
        """Show the remarks on the point in hand; a new one is about now."""
        from gezeiten.ui.points.remarks_dialog import RemarksDialog

        self._show_for_point(lambda point: RemarksDialog(self, self.context, point).open())

    def _show_for_point(self, show: Callable[[PointPlace], None]) -> None:
        point_id, desk = self._point_in_hand(), self.context.desk
        if point_id is None:
            self.context.show_message(tr("Select a point first."))
            return

        def found(listed: list[PointPlace]) -> None:
            its = next((place for place in listed if place.id == point_id), None)
            if its is not None:
                show(its)

        def work(_task: object) -> list[PointPlace]:
            from gezeiten.desk.sites.places import points  # when it is wanted

            return points(desk)

        self.context.run(work, found)

    def _point_in_hand(self) -> int | None:
        return self.places[self.stack.currentIndex()].point_in_hand()

    def show_user_dialog(self) -> None:
        """Ask who is at it, where several people act in this archive."""
        self._select_user(several=True)

    def show_people(self) -> None:
        """Show who acts in this archive, to go on as another one."""
        self._select_user(several=False)

    def _select_user(self, *, several: bool) -> None:
        desk = self.context.desk

        def show(people: list[User]) -> None:
            from gezeiten.ui.shell.people_dialog import PeopleDialog

            if len(people) > 1 or not several:
                dialog = PeopleDialog(self, self.context, people)
                dialog.changed.connect(self._person_changed)
                dialog.open()

        def work(_task: object) -> list[User]:
            from gezeiten.desk.sites.people import acting  # when it is wanted

            return acting(desk)

        self.context.run(work, show, latest="people")

    def show_quantities(self) -> None:
        """Open the list of quantities."""
        from gezeiten.ui.points.quantities_dialog import QuantitiesDialog

        QuantitiesDialog(self, self.context).open()

    def show_rows(self, rows: places.ReadingsRequest) -> None:
        """Open readings as a table, beside the window."""
        from gezeiten.ui.trends.readings_table import ReadingsWindow

        dialog = ReadingsWindow(self, self.context, rows)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def show_lives(self, serial: str = "") -> None:
        """Open the loggers' lives, at one of them."""
        from gezeiten.ui.field.dialogs.logger_history_dialog import LoggerHistoryDialog

        LoggerHistoryDialog(self, self.context, serial).open()

    def show_finder(self) -> None:
        """Open the command finder."""
        finder = Finder(self, self.commands())
        finder.wanted.connect(self.show_found)
        desk = self.context.desk

        def work(_task: object) -> list[Thing]:
            from gezeiten.desk.office.finder import findable_things  # when it is wanted

            return findable_things(desk)

        self.context.run(work, finder.set_things, latest="things")
        finder.move(self.mapToGlobal(self.rect().center()) - finder.rect().center())
        finder.show()

    def show_found(self, thing: Thing) -> None:
        """Show what was found by its name, where it is looked at."""
        if thing.kind == "plan" and self.context.is_read_only:
            return
        if thing.kind == "point":
            self.show_place(places.TRENDS, thing.key)
        elif thing.kind == "site":
            self.show_place(places.TIDEBOARD, thing.key)
        elif thing.kind == "document":
            self.show_place(places.HANDOVER, (thing.point_id, thing.span, thing.key))
        elif thing.kind == "plan":
            self.show_place(places.FIELD_DESK)
            self.field_desk().runner.show_stored_plans(str(thing.key))
        else:
            self.show_logger(str(thing.key))

    def show_place(self, place: int, target: object = None) -> None:
        """Show a place, and in it what another place pointed at."""
        shown = self.places[place]
        self.stack.setCurrentIndex(place)
        self.strip.set_current(place)
        for belongs_to, shortcut in self._shortcuts:
            shortcut.setEnabled(belongs_to in (-1, place))
        self.hint.setText("" if self.context.is_read_only else shown.hint())
        if shown.is_stale:
            shown.is_stale = False
            shown.refresh()
        if target is not None:
            shown.show_target(target)
        shown.setFocus()

    def next_theme(self) -> None:
        """Light, Dark, Sun, and around again."""
        order = list(THEMES)
        name = order[(order.index(self.context.theme.name) + 1) % len(order)]
        self.set_theme(name)

    def set_theme(self, name: str) -> None:
        """Take a theme at once and keep it."""
        self._change(theme=name)

    def resize_text(self, by_percent: int) -> None:
        """Make all text larger or smaller, between 75 and 200 percent."""
        size = self.context.desk.settings.font_percent + by_percent
        self._change(font_percent=min(200, max(75, size)))

    def _change(self, **values: Any) -> None:
        self.context.change_settings(replace(self.context.desk.settings, **values))
        self._apply_theme()

    def _apply_theme(self) -> None:
        settings = self.context.desk.settings
        self.context.theme = theme = THEMES[settings.theme]
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        # with a style sheet set, font and palette each restyle every widget: three times as slow
        app.setStyleSheet("")
        app.setFont(base_font(settings.font_percent))
        draw_signs(theme, self._signs)
        app.setPalette(palette(theme))
        app.setStyleSheet(stylesheet(theme, settings.font_percent, self._signs))
        self.strip.set_theme(theme)
        for place in self.places.built_places():
            place.set_theme(theme)
            if place.empty_page is not None:
                place.empty_page.set_theme(theme)

    # -- messages and counts -------------------------------------------------------------------
    def _show_message(self, text: str, complaint: bool) -> None:
        set_role(self.message, "ember" if complaint else "muted")
        self.message.setText(text)
        self.message.setToolTip(plain_tip(text))
        if complaint:
            self._hush.start(COMPLAIN_MS)
        else:
            self._hush.start(SAY_MS)

    def _archive_changed(self) -> None:
        self._reload_places()
        self._count()

    def _reload_places(self) -> None:
        """Load the place in sight now and the others when they are wanted; the focus stays."""
        for place in self.places.built_places():
            place.is_stale = True
        current = self.places[self.stack.currentIndex()]
        current.is_stale = False
        current.refresh()

    def _count(self) -> None:
        desk = self.context.desk

        def work(_task: object) -> dict[str, int]:
            from gezeiten.ui.format.counts import counts  # see there

            return counts(desk)

        self.context.run(work, self._show_counts, latest="counts")

    def _show_counts(self, counts: dict[str, int]) -> None:
        tabs = self.strip.tabs
        gaps, events = counts["gaps"], counts["events"]
        self._counted = counts
        self._show_empty(self.places.built_places())
        if not counts["points"]:  # counts of nothing wait until there is something
            for place in (places.MEND, places.TRENDS, places.EXCURSIONS, places.HANDOVER):
                tabs[place].set_line("", False)
        else:
            tabs[places.MEND].set_line(counted(gaps, "%n gap", "%n gaps"), gaps > 0)
            tabs[places.TRENDS].set_line(counted(counts["points"], "%n point", "%n points"), False)
            tabs[places.EXCURSIONS].set_line(
                counted(events, "%n to assess", "%n to assess"), events > 0
            )
            tabs[places.HANDOVER].set_line(
                counted(counts["handed"], "%n issued", "%n issued"), False
            )
        intact = bool(counts["intact"])
        said = tr("intact") if intact else tr("broken")
        tabs[places.LOGBOOK].set_line(said if counts["entries"] else "", not intact)

    def _show_empty(self, shown: list[Place]) -> None:
        """Cover what has nothing to show yet."""
        if self._counted is None:
            return
        for place in shown:
            key = "entries" if place.kind_of_empty == "logbook" else "points"
            place.show_empty(on=not self._counted[key])

    def closeEvent(self, event: QCloseEvent) -> None:
        """Close when nothing runs any more; until then say so, and stop what can be stopped."""
        if not self._is_closing:
            self._is_closing = True
            self.places.stop_building()
            self.following.stop()
            if self.text_watching is not None:
                self.text_watching.stop()
            for place in self.places.built_places():
                place.end()
            self.context.works.cancel()
        if self.context.works.is_busy or self.following.is_running:
            event.ignore()
            self.stack.setEnabled(False)
            self.strip.setEnabled(False)
            self._show_message(
                tr("Closing when the running work has ended; readings received so far are saved."),
                False,
            )
            self._hush.stop()
            QTimer.singleShot(CLOSE_AGAIN_MS, self.close)
            return
        self.context.works.stop()
        super().closeEvent(event)
