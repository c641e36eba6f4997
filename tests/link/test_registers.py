"""The register map: packing and unpacking, states that cannot be, envelopes."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gezeiten.errors import LoggerAnswerError
from gezeiten.link import registers as reg

STATE = reg.LoggerState(
    2, reg.State.LOGGING, 1_795_417_200_123, 40_000, 65_536, 615, 3_212, 12, 9_000, 240,
    1_795_000_000_000, 600, 3, 1, 20_900, 0, reg.Flag.LOCKED, 1,
    reg.EndReason.BATTERY, 1_794_000_000_000,
)  # fmt: skip


def test_the_state_reads_back_and_fits_one_question() -> None:
    assert reg.unpack_state(STATE.pack()) == STATE
    assert len(STATE.pack()) == 2 * reg.STATE_REGISTERS
    assert reg.STATE_REGISTERS <= 125


def test_state_registers_lie_where_the_protocol_says() -> None:
    words = reg.registers(STATE.pack())
    assert words[0] == reg.MAP_VERSION
    assert words[1] == reg.State.LOGGING
    clock = int.from_bytes(reg.register_bytes(words[2:6]), "big")
    assert clock == 1_795_417_200_123
    assert words[10] == 615  # battery, permille
    assert words[12] == 12  # mission number


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"map_version": 3}, "speaks version 3"),
        ({"state": 77}, "replace it"),
        ({"end_reason": 99}, "replace it"),
        ({"first_held": 10_000}, "replace it"),
    ],
)
def test_states_that_cannot_be_are_refused(change: dict[str, int], words: str) -> None:
    with pytest.raises(LoggerAnswerError, match=words):
        reg.unpack_state(replace(STATE, **change).pack())


def test_present_values_read_back_with_their_unit() -> None:
    given_values = [reg.LiveValue(8.5, 0, "°C"), reg.LiveValue(12.0, 2, "per 0.01 ft³")]
    assert reg.unpack_live(b"".join(v.pack() for v in given_values)) == given_values


@given(
    st.integers(0, 9),
    st.integers(0, 65_535),
    st.integers(-(2**63), 2**63 - 1),
    st.integers(0, 2**32 - 1),
)
def test_prepared_commands_read_back(
    command: int, token: int, argument: int, expected: int
) -> None:
    data = reg.pack_prepare(command, token, argument, expected)  # type: ignore[arg-type]
    assert reg.unpack_prepare(data) == (command, token, argument, expected)
    assert len(data) == 2 * reg.PREPARE_REGISTERS


@given(st.binary(max_size=500))
def test_envelopes_read_back_and_are_even(body: bytes) -> None:
    sealed = reg.seal_bytes(body)
    assert len(sealed) % 2 == 0
    assert reg.envelope_length(sealed) == len(sealed)
    assert reg.unseal_bytes(sealed) == body


@given(st.binary(min_size=1, max_size=100), st.integers(0, 10**6), st.integers(1, 255))
def test_a_changed_byte_is_noticed(body: bytes, at: int, flip: int) -> None:
    sealed = bytearray(reg.seal_bytes(body))
    at %= reg.ENVELOPE_BYTES + len(body)
    sealed[at] ^= flip
    assert reg.unseal_bytes(bytes(sealed)) != body


@pytest.mark.parametrize("data", [b"", b"\0\0\0", b"\xff" * 8])
def test_what_is_no_envelope_has_no_body(data: bytes) -> None:
    assert reg.unseal_bytes(data) is None


def test_every_refusal_has_words() -> None:
    assert set(reg.REFUSAL_WORDS) == set(reg.Refusal)
    assert set(reg.END_WORDS) == set(reg.EndReason)
