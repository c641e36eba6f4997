"""Readings that were read and wait for their turn to be kept, on the disk instead of in memory."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from types import TracebackType

import numpy as np

from gezeiten.archive.intake.texts import Readings
from gezeiten.archive.store.faults import translated
from gezeiten.errors import CancelledError


class Spool:
    """Pieces of readings, in their order; gone when it is closed, or when its program ends."""

    def __init__(self, folder: Path) -> None:
        """folder: on the disk of the archive.

        Raises:
            SurroundingsError: nothing can be written there. Also while filling it.
        """
        self._folder = folder
        with translated(folder):
            folder.mkdir(parents=True, exist_ok=True)
            self._file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115 - closed by `close`
        self._counts: list[int] = []

    def __enter__(self) -> Spool:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        fault: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the temporary file, which deletes it."""
        self._file.close()

    def append(self, piece: Readings) -> None:
        """Add a piece."""
        with translated(self._folder):
            for array in (piece.times, *piece.values):
                np.save(self._file, array, allow_pickle=False)
        self._counts.append(len(piece.values))

    def pieces(self, cancelled: Callable[[], bool] = lambda: False) -> Iterator[Readings]:
        """Yield all pieces.

        Raises:
            CancelledError: as wished.
        """
        self._file.seek(0)
        for columns in self._counts:
            if cancelled():
                raise CancelledError("Import was cancelled; nothing of this file was saved.")
            times = np.load(self._file, allow_pickle=False)
            values = [np.load(self._file, allow_pickle=False) for _ in range(columns)]
            yield Readings(times, values)
