"""The one error tree. A message is one sentence: what happened, to which thing, what to do.

GezeitenError
  InputError            the user can fix it: a plan, a number, a stretch of time
    PlanError           a plan that does not fit its logger
    SeriesError         arrays that are no series
    NotKeptError        a launch that would erase readings nobody has
    SkippedHourError    a local time that the clocks skip that day
    RepeatedHourError   a local time that the clocks show twice that day
    NotAcceptedError    something worth a look that wants a deliberate yes first
  DeviceError           the logger or the line to it
    LoggerAwayError     no answer, or gone in the middle
    LoggerAnswerError   answered, but with nonsense
    WrongLoggerError    another serial than the one expected
    LoggerRefusedError  understood and refused
    LoggerBusyError     another program is at it
    LoggerLockedError   it wants its PIN first
  SurroundingsError     the computer: disk, files, database
    ArchiveLockedError  another process holds the database
    ArchiveNewerError   written by a newer Gezeiten
    ArchiveDamagedError bytes in the archive are not what was written
    DiskFullError       no room left
  BugError              a mistake of Gezeiten's own
  CancelledError        the user stopped it; what came so far is kept
"""

from __future__ import annotations

import logging

_log = logging.getLogger(__name__)


class GezeitenError(Exception):
    """Root of all expected errors; `str(error)` is fit to be shown."""

    exit_code = 1

    def __init__(self, sentence: str = "", *args: object) -> None:
        """sentence: what a file or a field brought into it never breaks the line."""
        super().__init__(" ".join(str(sentence).split()), *args)


class InputError(GezeitenError):
    """The user can fix it."""

    exit_code = 2


class PlanError(InputError):
    """A plan that does not fit its logger."""


class SeriesError(InputError):
    """Arrays that do not form a series."""


class NotKeptError(InputError):
    """A launch would erase readings that are not in the archive."""

    exit_code = 3


class SkippedHourError(InputError):
    """A local time that does not exist on that day."""


class RepeatedHourError(InputError):
    """A local time that comes twice on that day."""


class NotAcceptedError(InputError):
    """Worth a look, and nobody has said a deliberate yes to it."""


class ReadOnlyError(InputError):
    """An action on an archive that is only looked at."""


class DeviceError(GezeitenError):
    """The logger or the line to it."""

    exit_code = 4


class LoggerAwayError(DeviceError):
    """No answer, or gone in the middle."""


class LoggerAnswerError(DeviceError):
    """An answer that makes no sense."""


class WrongLoggerError(DeviceError):
    """Another serial than the one expected."""


class LoggerRefusedError(DeviceError):
    """The logger understood and refused; `reason` is its own code, 0 when it gave none."""

    def __init__(self, sentence: str, reason: int = 0) -> None:
        super().__init__(sentence)
        self.reason = reason


class LoggerBusyError(DeviceError):
    """Another window or program is offloading it."""


class LoggerLockedError(DeviceError):
    """The logger wants its PIN before it changes anything."""


class SurroundingsError(GezeitenError):
    """The computer around us: disk, files, database."""

    exit_code = 5


class ArchiveLockedError(SurroundingsError):
    """Another process holds the database."""


class ArchiveNewerError(SurroundingsError):
    """The archive was written by a newer Gezeiten."""


class ArchiveDamagedError(SurroundingsError):
    """Bytes in the archive are not what was written."""

    exit_code = 6


class DiskFullError(SurroundingsError):
    """No room left on the disk."""


class DoneUnshownError(DiskFullError):
    """What was wanted is done: it stands in the logbook. Only the tables do not show it yet."""


class BugError(GezeitenError):
    """A mistake of Gezeiten's own; nobody at the keyboard can do anything about it."""


def bug(exc: BaseException) -> BugError:
    """Return the sentence for an error that should not be; what led to it goes into the log."""
    _log.error("a mistake of our own", exc_info=exc)
    words = str(exc).strip().split("\n")[0][:200]
    return BugError(
        f"Internal error ({type(exc).__name__}: {words}); please report it. Everything "
        "saved before is safe."
    )


class CancelledError(GezeitenError):
    """The user stopped a long action; what came so far is kept."""
