"""The stand-in's faces: Modbus TCP or a serial line, and a control line for tests and the demo.

Framing is our own here, so that it can pace bytes, go away in the middle, hang or damage what it
sends; the client is checked against it by pymodbus's own client as an independent peer.
"""

from __future__ import annotations

import asyncio
import json
import struct
from pathlib import Path
from typing import Any

from gezeiten.link import registers as reg
from gezeiten.link.lines.address import CablePort
from gezeiten.standin.messages import Device, Misbehaviour, PduHandler
from gezeiten.standin.serial_face import SerialFace

_COMMIT_START = struct.pack(">BH", 16, reg.COMMIT_ADDRESS)
_MBAP = struct.Struct(">HHHB")


class StandinServer:
    """Serves one simulated logger until told to quit; saves its state after each change."""

    def __init__(self, device: Device, cable: tuple[Path, CablePort] | None = None) -> None:
        self.device = device
        self.faults = Misbehaviour()
        self._handler = PduHandler(device, self.faults)
        self._sent = self._answers = 0
        self._quit = asyncio.Event()
        self._face = SerialFace(*cable, self._handler, self.faults) if cable else None

    async def serve(self, host: str, port: int, control_port: int) -> None:
        """Listen on both ports (0: any free one), print them as one JSON line, run until quit."""
        modbus = await asyncio.start_server(self._modbus, host, port)
        control = await asyncio.start_server(self._control, "127.0.0.1", control_port)
        self.device.save()
        ports = [server.sockets[0].getsockname()[1] for server in (modbus, control)]
        ready = {"serial": self.device.serial, "port": ports[0], "control": ports[1]}
        serving = None
        if self._face is not None:
            self._face.plug_in()
            serving = asyncio.create_task(self._face.serve())
        print(json.dumps(ready), flush=True)
        await self._quit.wait()
        if serving is not None and self._face is not None:
            serving.cancel()
            self._face.unplug()
        modbus.close()
        control.close()

    async def _modbus(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            if self.faults.away_connections > 0 or self.device.battery_is_empty:
                self.faults.away_connections = max(self.faults.away_connections - 1, 0)
                return
            while True:
                head = await reader.readexactly(_MBAP.size)
                transaction, _, length, unit = _MBAP.unpack(head)
                frame = await reader.readexactly(length - 1)
                self._close_before_request(frame)
                answer = self._handler.answer(frame)
                self._close_before_answer(frame)
                await self._send(writer, transaction, unit, answer)
                self._answers += 1
        except (asyncio.IncompleteReadError, ConnectionError):
            return
        finally:
            writer.close()

    def _close_before_request(self, frame: bytes) -> None:
        """Close the connection where it was told to, the question unheard."""
        left = self.faults.vanish_after_answers
        if left is not None and left <= 0 and not self.faults.mute_last:
            raise ConnectionResetError("told to vanish")

    def _close_before_answer(self, frame: bytes) -> None:
        """Close the connection where it was told to, the question obeyed and its answer lost."""
        left = self.faults.vanish_after_answers
        if left is not None:
            if left <= 0:
                raise ConnectionResetError("told to vanish")
            self.faults.vanish_after_answers = left - 1
        commits = frame[:3] == _COMMIT_START
        if self.faults.vanish_after_commit and commits:
            self.faults.vanish_after_commit = False
            raise ConnectionResetError("told to vanish")

    async def _send(
        self, writer: asyncio.StreamWriter, transaction: int, unit: int, body: bytes
    ) -> None:
        if self.faults.hang:
            return
        data = _MBAP.pack(transaction, 0, len(body) + 1, unit) + body
        if self.faults.nonsense:
            data = b"\xff" * len(data)
        limit = self.faults.vanish_after_bytes
        if limit is not None and self._sent + len(data) > limit:
            writer.write(data[: max(limit - self._sent, 0)])
            await writer.drain()
            self.faults.vanish_after_bytes, self._sent = None, 0
            raise ConnectionResetError("told to vanish")
        self._sent += len(data)
        writer.write(data)
        await writer.drain()
        if self.faults.bytes_per_s:
            await asyncio.sleep(len(data) / self.faults.bytes_per_s)

    async def _control(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while line := await reader.readline():
                reply = self._execute(json.loads(line))
                writer.write(json.dumps(reply).encode() + b"\n")
                await writer.drain()
        except ConnectionError:
            return
        finally:
            writer.close()

    def _execute(self, order: dict[str, Any]) -> dict[str, Any]:
        device = self.device
        kind = order.pop("do")
        if kind == "time":
            device.clock.set(order["ms"], order.get("speed", 1.0))
        elif kind == "fault":
            self._sent = 0
            for name, value in order.items():
                setattr(self.faults, name, tuple(value) if isinstance(value, list) else value)
        elif kind == "plug" and self._face is not None:
            self._face.plug_in()
        elif kind == "unplug" and self._face is not None:
            self._face.unplug()
        elif kind == "quit":
            self._quit.set()
        more = device.order(kind, order)
        return {**device.report(), **more, "answers": self._answers}
