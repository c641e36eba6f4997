"""How quickly a logger was read is known after a restart, by route; rubbish in its file is none."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from gezeiten.desk.base.transfer_rates import TransferRates
from gezeiten.link.lines.address import Address, CablePort

NETWORK, CABLE = Address("10.0.0.5", 502), CablePort("/dev/ttyUSB0")


def test_it_is_remembered_by_logger_and_route(tmp_path: Path) -> None:
    rates = TransferRates(tmp_path / "rates.json")
    rates.measured("D-2041", NETWORK, 40_000.0)
    rates.measured("D-2041", CABLE, 900.0)
    rates.measured("D-2044", NETWORK, 0.0)  # nothing was measured
    rates.measured("D-2044", NETWORK, float("inf"))
    rates.save()
    again = TransferRates(tmp_path / "rates.json")
    assert again.rate("D-2041", Address("10.0.0.9", 5020)) == 40_000.0
    assert again.rate("D-2041", CABLE) == 900.0
    assert again.rate("D-2044", NETWORK) is None


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"{",
        b"[1]",
        b'{"D-2041 network": -1}',
        b'{"D-2041 network": "fast"}',
        b'{"D-2041 network": Infinity}',
        b"\xff",
    ],
)
def test_a_file_that_says_nonsense_says_nothing(content: bytes, tmp_path: Path) -> None:
    (tmp_path / "rates.json").write_bytes(content)
    assert TransferRates(tmp_path / "rates.json").rate("D-2041", NETWORK) is None


def test_it_does_not_grow_without_end(tmp_path: Path) -> None:
    rates = TransferRates(tmp_path / "rates.json")
    for i in range(2_001):
        rates.measured(f"D-{i}", NETWORK, 1.0 + i)
    rates.save()
    kept = json.loads((tmp_path / "rates.json").read_text())
    assert len(kept) == 2_000
    assert TransferRates(tmp_path / "rates.json").rate("D-2000", NETWORK) == 2001.0
