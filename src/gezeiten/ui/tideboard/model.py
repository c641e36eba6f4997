"""What the Tideboard shows of a board, without Qt: which rows, in which order, over which time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal

from gezeiten.domain.board.board import Board
from gezeiten.domain.board.facts import BoardSite
from gezeiten.domain.board.rows import BoardRow
from gezeiten.domain.series.timeline import DAY_MS, Span

Order = Literal["needs", "sites"]
PAST_DAYS, FUTURE_DAYS = 64, 50
MANY_ROWS = 40
"""From so many points on what needs somebody comes first, until somebody says otherwise."""
SHORTEST_MS, LONGEST_MS = DAY_MS // 4, 30 * 366 * DAY_MS


@dataclass(frozen=True, slots=True)
class BoardLine:
    """A line of the board: a site's head (row None), a point, or a folded site, which shows the row
    that needs somebody most. folded: how many points it stands for, 0 of others; asking: how many
    of them need somebody."""

    site: BoardSite
    row: BoardRow | None
    folded: int = 0
    asking: int = 0


@dataclass(slots=True)
class BoardModel:
    """The state of the Tideboard. current: the chosen line, -1 where there is none."""

    board: Board | None = None
    order: Order | None = None
    typed: str = ""
    folded: set[int] = field(default_factory=set)
    span: Span | None = None
    lines: list[BoardLine] = field(default_factory=list)
    current: int = -1

    # -- asking --------------------------------------------------------------------------------
    @property
    def row(self) -> BoardRow | None:
        """The chosen row."""
        return self.lines[self.current].row if 0 <= self.current < len(self.lines) else None

    @property
    def by_needs(self) -> bool:
        """Whether what needs somebody comes first."""
        if self.order is not None:
            return self.order == "needs"
        return self.board is not None and sum(len(r) for _, r in self.board.sites) >= MANY_ROWS

    @property
    def shown(self) -> Span:
        """The stretch of time shown, UTC ms."""
        now = self.board.now_ms if self.board else 0
        return self.span or (now - PAST_DAYS * DAY_MS, now + FUTURE_DAYS * DAY_MS)

    @property
    def point_count(self) -> int:
        """How many points are shown."""
        return sum(line.folded or int(line.row is not None) for line in self.lines)

    # -- changing ------------------------------------------------------------------------------
    def show(self, board: Board) -> None:
        """Take a board; the chosen row stays chosen where it is still shown."""
        self.board = board
        self._arrange()

    def set_order(self, order: Order) -> None:
        """Put first what needs somebody, or sites in their order."""
        self.order = order
        self._arrange()

    def type(self, typed: str) -> None:
        """Show only points of which every word typed is in site, point, serial or a need."""
        self.typed = typed
        self._arrange()

    def fold(self, site_id: int) -> None:
        """Fold a site to one line, or unfold it."""
        self.folded ^= {site_id}
        self._arrange()

    def fold_all(self) -> None:
        """Fold all sites, or where all are, unfold them."""
        every = {site.id for site, rows in self.board.sites if rows} if self.board else set()
        self.folded = set() if self.folded >= every else every
        self._arrange()

    def move(self, by: int) -> bool:
        """Choose the next line with a row, or (by < 0) the one before; False without one."""
        at = self.current + by
        while 0 <= at < len(self.lines):
            if self.lines[at].row is not None:
                self.current = at
                return True
            at += by
        return False

    def select(self, point_id: int) -> bool:
        """Choose the line of a point; False where it is not shown."""
        for i, line in enumerate(self.lines):
            if line.row is not None and line.row.point.id == point_id:
                self.current = i
                return True
        return False

    def select_site(self, name: str) -> bool:
        """Choose the first row of a site; False where none is shown."""
        for i, line in enumerate(self.lines):
            if line.row is not None and line.site.name == name:
                self.current = i
                return True
        return False

    # -- time ------------------------------------------------------------------------------------
    def zoom(self, factor: float, at_ms: float | None = None) -> None:
        """Show a stretch so many times as long; the instant at_ms (default: now) stays where it
        is."""
        start, end = self.shown
        now = self.board.now_ms if self.board else 0
        fixed = min(max(now if at_ms is None else at_ms, start), end)
        length = min(max((end - start) * factor, SHORTEST_MS), LONGEST_MS)
        share = (fixed - start) / (end - start)
        begin = round(fixed - share * length)
        self.span = (begin, begin + round(length))

    def shift(self, share: float) -> None:
        """Move the stretch by a share of its length, to later times where positive."""
        start, end = self.shown
        by = round((end - start) * share)
        self.span = (start + by, end + by)

    def show_default_period(self) -> None:
        """Show the usual stretch around now again."""
        self.span = None

    # -- rows ------------------------------------------------------------------------------------
    def _arrange(self) -> None:
        before = self.row.point.id if self.row else None
        self.lines = list(self._by_needs() if self.by_needs else self._by_site())
        self.current = -1
        if before is None or not self.select(before):
            self.move(1)

    def _filtered(self) -> Iterator[tuple[BoardSite, list[BoardRow]]]:
        words = self.typed.casefold().split()
        for site, rows in self.board.sites if self.board else ():
            yield site, [row for row in rows if _matches(site, row, words)]

    def _by_needs(self) -> Iterator[BoardLine]:
        listed = [(site, row) for site, rows in self._filtered() for row in rows]
        for site, row in sorted(listed, key=lambda one: urgency(one[1])):
            yield BoardLine(site, row)

    def _by_site(self) -> Iterator[BoardLine]:
        for site, rows in self._filtered():
            if site.id in self.folded and len(rows) > 1:
                asking = sum(1 for row in rows if row.needs and row.needs[0].weight)
                yield BoardLine(site, min(rows, key=urgency), len(rows), asking)
                continue
            if rows or not self.typed:
                yield BoardLine(site, None)
            yield from (BoardLine(site, row) for row in rows)


def urgency(row: BoardRow) -> tuple[int, int, int]:
    """Return what orders rows by who needs somebody most: the lower, the more."""
    need = row.needs[0] if row.needs else None
    return (-need.weight, need.due_ms, _RANK.index(need.kind)) if need else (1, 0, 0)


_RANK = ("fault", "wrong clock", "not recording", "end", "clock", "gap", "offload", "calibration")


def _matches(site: BoardSite, row: BoardRow, texts: list[str]) -> bool:
    if not texts:
        return True
    needs = " ".join(need.words for need in row.needs)
    text = f"{site.name} {row.point.name} {row.serial} {needs}".casefold()
    return all(word in text for word in texts)
