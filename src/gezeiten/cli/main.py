"""The command line: the same acts as in the window, for scripts and timers.

Exit codes: 0 done, 1 our fault, 2 input, 3 something on a logger is not kept, 4 logger or line,
5 computer (disk, database), 6 the archive is damaged.
"""

from __future__ import annotations

import gc
from pathlib import Path

import click

from gezeiten import __version__
from gezeiten.cli.lazy import LazyGroup
from gezeiten.cli.log_file import start_log
from gezeiten.cli.options import main_archive_option, read_only_option, reports_errors

_PLACES = {
    "demo": "gezeiten.cli.demo_command:demo_command",
    "export": "gezeiten.cli.documents:export_command",
    "find": "gezeiten.cli.loggers:find_command",
    "launch": "gezeiten.cli.loggers:launch",
    "list": "gezeiten.cli.records:list_points",
    "logbook": "gezeiten.cli.logbook:logbook_command",
    "offload": "gezeiten.cli.loggers:offload",
    "overview": "gezeiten.cli.loggers:overview_command",
    "users": "gezeiten.cli.people:people_command",
    "report": "gezeiten.cli.documents:report_command",
    "standin": "gezeiten.cli.standin:standin_group",
    "stop": "gezeiten.cli.loggers:stop_command",
    "import": "gezeiten.cli.routes:import_command",
    "vault": "gezeiten.cli.routes:vault_group",
    "verify": "gezeiten.cli.verification:verify",
    "watch": "gezeiten.cli.watch:watch_command",
}


@click.group(cls=LazyGroup, places=_PLACES, invoke_without_command=True)
@click.version_option(__version__)
@main_archive_option
@read_only_option
@click.pass_context
@reports_errors
def main(context: click.Context, folder: Path | None, read_only: bool) -> None:
    """Gezeiten: program loggers, offload, mend, review, hand over.

    Without a command the window opens; with --read-only nothing is changed.
    """
    start_log()
    context.obj = folder
    if context.invoked_subcommand is None:
        # importing leaves no rubbish, and looking for it costs a tenth of the start; with a window
        # it is collected by itself (ui/work/main_thread_gc.py)
        gc.disable()
        from gezeiten.cli.window import open_window

        context.exit(open_window(folder, read_only=read_only))
