"""Opening the line to a logger, whatever its route."""

from __future__ import annotations

from gezeiten.link.lines.address import USUAL_LIMITS, Address, Endpoint, TimeLimits
from gezeiten.link.lines.line import BaseLine
from gezeiten.link.lines.modbus import ModbusTcp
from gezeiten.link.lines.rtu import ModbusRtu


def open_line(endpoint: Endpoint, limits: TimeLimits = USUAL_LIMITS) -> BaseLine:
    """Return an open line; use it as a context manager.

    Raises:
        DeviceError: nobody is there, or another program has the line.
        SurroundingsError: this account may not use the port.
    """
    if isinstance(endpoint, Address):
        return ModbusTcp(endpoint, limits)
    return ModbusRtu(endpoint, limits)
