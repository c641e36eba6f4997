"""Finding the loggers at hand: every place where one may be is asked who it is, in parallel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass

from gezeiten.domain.base.clock import ClockDifference
from gezeiten.errors import DeviceError, GezeitenError
from gezeiten.link.lines.address import Endpoint, TimeLimits
from gezeiten.link.lines.waiting import open_line
from gezeiten.link.registers import COURIER_CODE, LoggerState
from gezeiten.link.session import Identity, LoggerSession

FIND_LIMITS = TimeLimits(connect_s=1.0, answer_s=3.0)
_AT_ONCE = 16


@dataclass(frozen=True, slots=True)
class FoundCourier:
    """A courier that answered."""

    address: Endpoint
    serial: str


class CourierAnswersError(DeviceError):
    """A courier is there, not a logger; `found` says which."""

    def __init__(self, courier: FoundCourier) -> None:
        super().__init__(
            f"The courier {courier.serial} answers at {courier.address}, not a logger."
        )
        self.found = courier


@dataclass(frozen=True, slots=True)
class FoundLogger:
    """A logger that answered: where, who, and what it is doing."""

    address: Endpoint
    identity: Identity
    state: LoggerState
    clock: ClockDifference


def ask(address: Endpoint, now_ms: Callable[[], float], limits: TimeLimits) -> FoundLogger:
    """Ask one address who it is.

    Raises:
        CourierAnswersError: a courier is there.
        DeviceError, InputError: nothing usable answers there.
    """
    with open_line(address, limits) as line:
        session = LoggerSession(line)
        _, code, _, serial = session.label()
        if code == COURIER_CODE:
            raise CourierAnswersError(FoundCourier(address, serial))
        identity = session.identify()
        clock = session.clock(now_ms)
        return FoundLogger(address, identity, session.state(), clock)


def search(
    jobs: Sequence[Callable[[], FoundLogger]],
    *,
    on_found: Callable[[FoundLogger], None] | None = None,
    on_courier: Callable[[FoundCourier], None] = lambda _: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> list[FoundLogger]:
    """Return the loggers that answer, by serial. Each job asks one place and raises where nobody
    is; silent places are no error."""
    loggers: list[FoundLogger] = []
    with ThreadPoolExecutor(_AT_ONCE) as pool:
        asked = [pool.submit(job) for job in jobs]
        for job in as_completed(asked):
            if cancelled():
                for other in asked:
                    other.cancel()
                break
            try:
                logger = job.result()
            except CourierAnswersError as exc:
                on_courier(exc.found)
                continue
            except GezeitenError:
                continue  # nobody there, or no logger: that is what most places are
            loggers.append(logger)
            if on_found:
                on_found(logger)
    return sorted(loggers, key=lambda logger: logger.identity.serial)
