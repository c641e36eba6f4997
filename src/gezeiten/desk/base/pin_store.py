"""Where PINs are kept: the system keyring, or memory where there is none; never in plain text."""

from __future__ import annotations

import contextlib
from typing import Protocol

SERVICE = "gezeiten logger PIN"


class PinStore(Protocol):
    """Keeps PINs by group. `lasting`: whether they outlive the program."""

    lasting: bool

    def get(self, group: str) -> int | None:
        """Return the PIN of a group of loggers, None where none is kept."""

    def store(self, group: str, pin: int) -> None:
        """Keep the PIN of a group."""

    def forget(self, group: str) -> None:
        """Keep the PIN of a group no longer; nothing happens where there is none."""


class MemoryPins:
    """Remembers PINs until the program ends."""

    lasting = False

    def __init__(self) -> None:
        self._pins: dict[str, int] = {}

    def get(self, group: str) -> int | None:
        """Return the PIN of a group of loggers, None where none is kept."""
        return self._pins.get(group)

    def store(self, group: str, pin: int) -> None:
        """Keep the PIN of a group."""
        self._pins[group] = pin

    def forget(self, group: str) -> None:
        """Keep the PIN of a group no longer; nothing happens where there is none."""
        self._pins.pop(group, None)


class KeyringPins:
    """Keeps PINs in the system keyring, and in memory for this run."""

    lasting = True

    def __init__(self) -> None:
        self._memory = MemoryPins()

    def get(self, group: str) -> int | None:
        """Return the PIN of a group of loggers, None where none is kept."""
        import keyring
        from keyring.errors import KeyringError

        known = self._memory.get(group)
        if known is not None:
            return known
        with contextlib.suppress(KeyringError, ValueError):
            text = keyring.get_password(SERVICE, group)
            return int(text) if text else None
        return None

    def store(self, group: str, pin: int) -> None:
        """Keep the PIN of a group."""
        import keyring
        from keyring.errors import KeyringError

        self._memory.store(group, pin)
        with contextlib.suppress(KeyringError):
            keyring.set_password(SERVICE, group, str(pin))

    def forget(self, group: str) -> None:
        """Keep the PIN of a group no longer; nothing happens where there is none."""
        import keyring
        from keyring.errors import KeyringError

        self._memory.forget(group)
        with contextlib.suppress(KeyringError):
            keyring.delete_password(SERVICE, group)


def usual_pins() -> PinStore:
    """Return the system keyring where there is one, else memory."""
    # a slow import that only a locked logger needs
    import keyring
    from keyring.backends.chainer import ChainerBackend
    from keyring.backends.fail import Keyring as NoKeyring

    backend = keyring.get_keyring()
    empty_chain = isinstance(backend, ChainerBackend) and not backend.backends
    return MemoryPins() if isinstance(backend, NoKeyring) or empty_chain else KeyringPins()
