"""All views of the window and all its dialogs, one after the other, for tests that walk them."""

from __future__ import annotations

from collections.abc import Iterator

from pytestqt.qtbot import QtBot

from gezeiten.desk.intake.carriers.carried_records import CarriedRecord, Clearing
from gezeiten.desk.office.logbook import logbook_entries
from gezeiten.desk.sites.places import PointPlace
from gezeiten.ui.field.carriers.clear_dialog import ClearDialog
from gezeiten.ui.logbook.lost_dialog import LostDialog
from gezeiten.ui.mend.chain_dialog import ChainDialog
from gezeiten.ui.mend.clock_dialog import ClockDialog
from gezeiten.ui.mend.provenance_dialog import ProvenanceDialog
from gezeiten.ui.mend.several_gaps_dialog import SeveralGapsDialog
from gezeiten.ui.points.calculated_dialog import CalculatedDialog
from gezeiten.ui.points.check_sheet import CheckSheet
from gezeiten.ui.points.checks_dialog import ChecksDialog
from gezeiten.ui.points.coverage_dialog import CoverageDialog
from gezeiten.ui.points.days_dialog import DaysDialog
from gezeiten.ui.points.limits_dialog import LimitsDialog
from gezeiten.ui.points.remarks_dialog import RemarksDialog
from gezeiten.ui.points.sensor_depth_dialog import SensorDepthDialog
from gezeiten.ui.points.units_dialog import UnitsDialog
from gezeiten.ui.shell import app_context as places
from gezeiten.ui.shell.window import MainWindow
from gezeiten.ui.trends.period_dialog import GoToDay, PeriodDialog
from gezeiten.ui.trends.place import _POINT
from tests.ui_help import idle

RECORD = CarriedRecord(
    "7", "D-2041", "Düne T2", 12, "Store autumn", "A · B", 0, 9_000, 480, 480, "ab" * 32, "kept"
)
CLEARING = Clearing((RECORD,), ("R-1107, mission 3: not saved yet.",))


def views_of(qtbot: QtBot, window: MainWindow, place: int) -> Iterator[object]:
    """Show the stages of the Field desk one after the other; other places have one view."""
    if place != places.FIELD_DESK:
        yield ""
        return
    field = window.places[place]
    for stage in range(5):
        field.stages.select(stage)
        idle(qtbot, window)
        yield stage
    field.runner.tick_all()
    idle(qtbot, window)
    yield "several"
    field.runner.untick_all()
    if field.carriers.cards:
        field.carriers.open_next()
        idle(qtbot, window)
        yield "carrier"
        field.carriers.close()
        field.show_current()


def creek(window: MainWindow) -> PointPlace:
    """The creek gauge, as Trends lists it: nothing is asked of the archive."""
    listed = (item.data(0, _POINT) for item in window.places[places.TRENDS]._items())
    return next(point for point in listed if point.name == "Creek gauge")


DIALOGS = {
    "settings": lambda w: w.show_settings(),
    "people": lambda w: w.show_people(),
    "sites and points": lambda w: w.show_places(),
    "limits": lambda w: LimitsDialog(w, w.context, creek(w)).open(),
    "hanging": lambda w: SensorDepthDialog(w, w.context, creek(w), 2.5).open(),
    "calculated": lambda w: CalculatedDialog(w, w.context, creek(w)).open(),
    "chain": lambda w: ChainDialog(w, w.context, creek(w)).open(),
    "many gaps": lambda w: SeveralGapsDialog(w, w.context).open(),
    "clock": lambda w: ClockDialog(w, w.context, creek(w), "water_pressure").open(),
    "story": lambda w: ProvenanceDialog(w, w.context, creek(w), 0).open(),
    "coverage": lambda w: CoverageDialog(w, w.context, creek(w)).open(),
    "remarks": lambda w: RemarksDialog(w, w.context, creek(w)).open(),
    "days": lambda w: DaysDialog(w, w.context, creek(w), (0, 2**42), "water_temperature").open(),
    "checks": lambda w: ChecksDialog(w, w.context, creek(w), "water_level@=").open(),
    "check sheet": lambda w: CheckSheet(w, w.context, creek(w).id).open(),
    "units": lambda w: UnitsDialog(w, w.context, [creek(w)]).open(),
    "lost entries": lambda w: LostDialog(w, logbook_entries(w.context.desk)[:30]).open(),
    "life": lambda w: w.show_lives(),
    "round": lambda w: w.places[places.TIDEBOARD].prepare_visit(),
    "day": lambda w: w.places[places.FIELD_DESK].dialogs.day(),
    "stretch": lambda w: PeriodDialog(w, (0, 86_400_000), "Europe/Berlin").open(),
    "day to go to": lambda w: GoToDay(w, 0, "Europe/Berlin").open(),
    "saved plans": lambda w: w.places[places.FIELD_DESK].runner.show_stored_plans(),
    "live line": lambda w: w.places[places.FIELD_DESK].dialogs.live_line(),
    "part": lambda w: w.places[places.FIELD_DESK].dialogs.show_part(),
    "erase": lambda w: w.places[places.FIELD_DESK].dialogs.erase(),
    "PIN": lambda w: w.places[places.FIELD_DESK].dialogs.pin(),
    "differences": lambda w: w.places[places.FIELD_DESK].runner.show_differences(),
    "clear": lambda w: ClearDialog(w, "Courier L-0042", CLEARING, "The clock is then set.").open(),
    "several texts": lambda w: w.places[places.FIELD_DESK].dialogs.texts(w.text_file.parent),
    "kinds of texts": lambda w: w.places[places.FIELD_DESK].dialogs.text_kinds(),
    "texts that were taken": lambda w: w.places[places.FIELD_DESK].dialogs.show_imported_texts(),
    "text": lambda w: w.places[places.FIELD_DESK].dialogs.text(w.text_file),
}
