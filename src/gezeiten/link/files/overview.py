"""An overview: a mission thinned by the logger itself, so that a long one is seen in seconds.

It travels and lies on disk as a mission file does (header, blocks, events, trailer), but its header
says `overview`, so that nothing takes it for the readings themselves. docs/mission-file.md.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from gezeiten.domain.base.untrusted import bounded_int
from gezeiten.domain.series.coverage import Range
from gezeiten.domain.series.drawing.thinning import ThinKind, Thinning
from gezeiten.errors import (
    DeviceError,
    LoggerAnswerError,
    LoggerBusyError,
    LoggerRefusedError,
)
from gezeiten.link import registers as reg
from gezeiten.link.files.mission_blocks import FileChannel
from gezeiten.link.files.mission_file import (
    Header,
    MissionFile,
    decode_mission_file,
    encode_header,
    header_of,
)
from gezeiten.link.offload import Transfer, offload
from gezeiten.link.session import DirectoryEntry, LoggerSession, directory_entry
from gezeiten.link.transfer import UNWATCHED, Watch

SUFFIX = ".overview"
KIND = "overview"
LOWEST, HIGHEST = " lowest", " highest"
"""Behind a channel's key: the lowest and highest reading of every group, beside its mean."""
_MEANS_COLUMNS = 3
_CODES = {ThinKind.NTH: 0, ThinKind.MEANS: 1}


@dataclass(frozen=True, slots=True)
class Overview:
    """A decoded overview. file: its values as a mission file's, one reading a value."""

    thinning: Thinning
    file: MissionFile

    @property
    def mission_header(self) -> Header:
        """The header as the mission itself has it."""
        header, thinning = self.file.header, self.thinning
        interval_ms = header.interval_ms // thinning.every
        means = thinning.kind == ThinKind.MEANS
        return replace(
            header,
            # where value 0 would be if the mission began at 0, taken off again
            first_ms=header.first_ms - thinning.first_ms(0, interval_ms),
            interval_ms=interval_ms,
            channels=header.channels[::_MEANS_COLUMNS] if means else header.channels,
        )

    @property
    def covered(self) -> list[Range]:
        """The readings that its values stand for, as far as they came."""
        return [self.thinning.readings_of(*part) for part in self.file.ranges]


def overview_channels(channels: tuple[FileChannel, ...], kind: ThinKind) -> tuple[FileChannel, ...]:
    """Return the channels of an overview of these channels: three for each where it has means."""
    if kind == ThinKind.NTH:
        return channels
    more = ("", LOWEST, HIGHEST)
    return tuple(replace(ch, key=ch.key + name) for ch in channels for name in more)


def overview_header(header: Header, thinning: Thinning) -> Header:
    """Return the header of an overview of a mission whose readings are evenly spaced."""
    return replace(
        header,
        first_ms=thinning.first_ms(header.first_ms, header.interval_ms),
        interval_ms=header.interval_ms * thinning.every,
        channels=overview_channels(header.channels, thinning.kind),
    )


def encode_overview_header(header: Header, thinning: Thinning) -> bytes:
    """Return the first item of an overview; header: of `overview_header`."""
    asked = [thinning.kind.value, thinning.every, thinning.first, thinning.end]
    return encode_header(header, {"kind": KIND, "overview": asked})


def _header_of(content: dict[str, Any]) -> Header:
    """Return the header of an overview's map, which an ordinary reader refuses."""
    if content.get("kind") != KIND:
        raise LoggerAnswerError("The data received is not an overview; offload it again.")
    return header_of({**content, "kind": "header"})


def _thinning_of(content: dict[str, Any]) -> Thinning:
    try:
        kind, every, first, end = content["overview"]
        thinning = Thinning(
            ThinKind(kind), bounded_int(every), bounded_int(first), bounded_int(end)
        )
    except (KeyError, TypeError, ValueError) as exc:
        raise LoggerAnswerError(
            f"The overview lacks its description ({exc}); offload it again."
        ) from exc
    if not thinning.is_possible:
        raise LoggerAnswerError("The overview is empty; offload it again.")
    return thinning


def decode_overview(data: bytes) -> Overview:
    """Return everything readable in the bytes of an overview, whole or not.

    Raises:
        LoggerAnswerError: its header cannot be read, or it is none.
    """
    thinnings: list[Thinning] = []

    def read(content: dict[str, Any]) -> Header:
        thinnings.append(_thinning_of(content))
        return _header_of(content)

    file = decode_mission_file(data, read)
    [thinning] = thinnings
    columns = _MEANS_COLUMNS if thinning.kind == ThinKind.MEANS else 1
    if file.header.interval_ms % thinning.every or len(file.header.channels) % columns:
        raise LoggerAnswerError("The overview does not match its description; offload it again.")
    file.blocks = [block for block in file.blocks if block.range[1] <= thinning.values]
    return Overview(thinning, file)


def fetch_overview(
    session: LoggerSession,
    mission: int,
    thinning: Thinning,
    folder: Path,
    watch: Watch = UNWATCHED,
    route: str = "network",
) -> Transfer:
    """Let the logger thin a mission and take what it made into an incoming file in `folder`.

    Transfer.received counts values, not readings. A line that breaks or a cancel ends it early.

    Raises:
        LoggerRefusedError: it cannot make overviews, or not this one.
        LoggerBusyError: another computer asked it for another one meanwhile.
        DeviceError: nothing usable came. OSError: the disk.
    """
    argument = reg.pack_overview(_CODES[thinning.kind], thinning.every, thinning.first)
    session.command(reg.LoggerCommand.OVERVIEW, argument, thinning.end)
    entry = _entry(session, mission, thinning)
    all_values = [(0, entry.readings)]
    transfer = offload(
        session, entry, all_values, folder, watch, route, read_header=_header_of, suffix=SUFFIX
    )
    try:
        if isinstance(transfer.error, LoggerRefusedError):
            transfer.error = _taken_over_error(
                session
            )  # it lies no longer there; what came is ours
        elif transfer.error is None:
            _entry(session, mission, thinning)  # still this one: no other computer came between
    except LoggerBusyError:
        transfer.path.unlink()
        transfer.release()
        raise
    except DeviceError as exc:
        transfer.error = exc  # the line broke after all of it had come: it is kept
    return transfer


def entry_name(thinning: Thinning) -> str:
    """Return what a logger calls an overview in its list: what it shows."""
    return f"{thinning.kind.value} {thinning.every} {thinning.first} {thinning.end}"


def _entry(session: LoggerSession, mission: int, thinning: Thinning) -> DirectoryEntry:
    """Return where the overview lies, in the form of a mission in the directory."""
    try:
        entry = directory_entry(session.read_sealed(reg.OVERVIEW_ENTRY_FILE))
    except (TypeError, ValueError) as exc:
        raise LoggerAnswerError(
            f"{session.name} sent an overview list that cannot be read ({exc}); contact "
            "it again, then update Gezeiten."
        ) from exc
    if (entry.mission, entry.name) != (mission, entry_name(thinning)):
        raise _taken_over_error(session)
    return entry


def _taken_over_error(session: LoggerSession) -> LoggerBusyError:
    return LoggerBusyError(
        f"Another computer asked {session.name} for something else meanwhile; try again."
    )


def requested_thinning(argument: int, expected: int) -> Thinning | None:
    """Return what a command's argument and expected readings ask for, None for nonsense."""
    code, every, first = reg.unpack_overview(argument)
    kinds = {code: kind for kind, code in _CODES.items()}
    if code not in kinds:
        return None
    thinning = Thinning(kinds[code], every, first, expected)
    return thinning if thinning.is_possible else None
