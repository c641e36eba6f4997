"""Opening an archive for a desk, with the quantities and logger models of its own."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from gezeiten.archive.database import Archive
from gezeiten.archive.founding import begin_if_new
from gezeiten.archive.queries.quantities import own_quantities
from gezeiten.domain.plan.models import load_models
from gezeiten.domain.quantities.quantities import set_own_quantities
from gezeiten.errors import ArchiveDamagedError


def opened(
    folder: Path,
    url: str | None,
    heads_file: Path | None,
    *,
    look: bool,
    zone: str,
    now_ms: int,
    models: list[tuple[str, str]],
) -> Archive:
    """Return an archive, opened and up to date; one that is new begins now.

    Args: as of `Workspace`; models: the logger models in its folder, by their files' names.
    """
    archive = Archive(folder, url, heads_file=heads_file, look=look)
    try:
        archive.new_site_zone = zone
        archive.catch_up()
        with suppress(ArchiveDamagedError), archive.reading() as session:  # verify names it
            set_own_quantities(quantity.quantity for quantity in own_quantities(session))
        for problem in load_models(models):
            archive.on_wait(problem)
        if not look:
            begin_if_new(archive, now_ms)
    except BaseException:
        archive.close()  # nobody else can
        raise
    return archive
