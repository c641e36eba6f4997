"""A stand-in behind a serial line: a pty that is as slow, as deaf and as fragile as a real one.

Bytes leave at the line's own pace. Somebody who set the port to another speed or other stop bits
is not understood (a pty knows no parity, so a wrong one goes unnoticed).
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import pty
import struct
import termios
import tty
from pathlib import Path

from gezeiten.link import registers as reg
from gezeiten.link.lines.address import CablePort
from gezeiten.link.lines.rtu import has_valid_crc, silence_s, with_crc
from gezeiten.standin.messages import Misbehaviour, PduHandler

_BAUD_FLAGS = {
    baud: getattr(termios, f"B{baud}")
    for baud in (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)
}
_BURST_ASK = struct.Struct(">BBHHH")
_BURST_HEAD = struct.Struct(">BBHB")
_CHUNK = 24


def request_length(frame: bytes) -> int | None:
    """Return how long the question that begins so is, CRC included; None while that is open."""
    if len(frame) < 2:
        return None
    function = frame[1]
    if function in (1, 2, 3, 4, 5, 6):
        return 8
    if function in (15, 16):
        return 9 + frame[6] if len(frame) > 6 else None
    if function in (20, 21):
        return 5 + frame[2] if len(frame) > 2 else None
    if function == 43:
        return 7
    return 10 if function == reg.BURST_FUNCTION else len(frame)


class SerialFace:
    """Frames for one logger on a pty whose other end is found under `path`."""

    def __init__(
        self, path: Path, setting: CablePort, handler: PduHandler, faults: Misbehaviour
    ) -> None:
        self._path, self._setting = path, setting
        self._handler, self._faults = handler, faults
        self._received: asyncio.Queue[bytes] = asyncio.Queue()
        self._master = self._slave = -1
        self._sent = 0
        self._free_at = 0.0

    # -- plug ------------------------------------------------------------------------------------
    def plug_in(self) -> None:
        """Let the port appear."""
        if self._master >= 0:
            return
        self._master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self._master, False)
        self._path.unlink(missing_ok=True)
        self._path.symlink_to(os.ttyname(self._slave))
        asyncio.get_running_loop().add_reader(self._master, self._receive)

    def unplug(self) -> None:
        """Let the port vanish, as when the cable slips."""
        if self._master < 0:
            return
        asyncio.get_running_loop().remove_reader(self._master)
        self._path.unlink(missing_ok=True)
        os.close(self._slave)
        os.close(self._master)
        self._master = self._slave = -1

    def _receive(self) -> None:
        try:
            data = os.read(self._master, 4096)
        except OSError:
            return
        flags = termios.tcgetattr(self._master)
        if self._understands(flags) and not self._faults.hang:
            self._received.put_nowait(data)

    def _understands(self, flags: list[int | list[bytes | int]]) -> bool:
        wanted = self._setting
        control, speed = flags[2], flags[5]
        assert isinstance(control, int)
        return speed == _BAUD_FLAGS[wanted.baud] and bool(control & termios.CSTOPB) == (
            wanted.stop_bits == 2
        )

    # -- answering -------------------------------------------------------------------------------
    async def serve(self) -> None:
        """Answer until the task is cancelled."""
        buffer = b""
        while True:
            buffer += await self._received.get()
            length = request_length(buffer)
            if length is None or len(buffer) < length:
                with contextlib.suppress(TimeoutError):
                    more = await asyncio.wait_for(self._received.get(), 0.05)
                    buffer += more
                    self._received.put_nowait(b"")
                    continue
                buffer = b""  # half a question and then silence: not for us
                continue
            frame, buffer = buffer[:length], b""
            if has_valid_crc(frame) and frame[0] == reg.UNIT_ID:
                # the question itself and the silence after it took this long on a real line
                await asyncio.sleep(length / self._setting.bytes_per_s + silence_s(self._setting))
                with contextlib.suppress(OSError):
                    await self._answer(frame[1:-2])

    async def _answer(self, message: bytes) -> None:
        await asyncio.sleep(self._faults.answer_after_s)
        # from here on the line is busy until the whole answer is out, at its average pace
        self._free_at = asyncio.get_running_loop().time()
        if message[0] == reg.BURST_FUNCTION:
            await self._burst(message)
            return
        await self._send(with_crc(bytes([reg.UNIT_ID]) + self._handler.answer(message)))

    async def _burst(self, message: bytes) -> None:
        unit = bytes([reg.UNIT_ID])
        _, _, file, record, count = _BURST_ASK.unpack(unit + message)
        refusal = None
        if self._faults.no_burst:
            refusal = 1
        data = None if refusal else self._handler.records(file, record, count)
        if data is None:
            refused = bytes([reg.BURST_FUNCTION | 0x80, refusal or 2])
            await self._send(with_crc(unit + refused))
            return
        for number, at in enumerate(range(0, len(data), reg.BURST_DATA)):
            part = data[at : at + reg.BURST_DATA]
            head = _BURST_HEAD.pack(reg.UNIT_ID, reg.BURST_FUNCTION, number, len(part))
            await self._send(with_crc(head + part))

    async def _send(self, frame: bytes) -> None:
        """Send at the pace of the line; lose, damage or break off where told to."""
        loop = asyncio.get_running_loop()
        for at in range(0, len(frame), _CHUNK):
            part = self._spoiled(frame[at : at + _CHUNK])
            limit = self._faults.vanish_after_bytes
            if limit is not None and self._sent + len(part) >= limit:
                os.write(self._master, part[: max(limit - self._sent, 0)])
                self._faults.vanish_after_bytes, self._sent = None, 0
                await asyncio.sleep(0.05)  # what was sent is still delivered
                self.unplug()
                raise ConnectionResetError("told to vanish")
            self._sent += len(part)
            self._free_at += len(part) / self._setting.bytes_per_s
            await asyncio.sleep(max(self._free_at - loop.time(), 0))
            with contextlib.suppress(BlockingIOError):  # nobody reads: an overrun loses bytes
                os.write(self._master, part)

    def _spoiled(self, part: bytes) -> bytes:
        """Return what a noisy line makes of bytes."""
        every = self._faults.noise_every_bytes
        if every and self._sent // every != (self._sent + len(part)) // every:
            return bytes([part[0] ^ 0x41]) + part[1:]
        return part
