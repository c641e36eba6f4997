"""A group of commands that imports a command's module only when that command is asked for."""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from typing import Any

import click


class LazyGroup(click.Group):
    """places: command name to "module:attribute" of what it is."""

    def __init__(self, *args: Any, places: Mapping[str, str], **options: Any) -> None:
        super().__init__(*args, **options)
        self._places = places

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the names of all commands, in order."""
        return sorted(self._places)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Import and return one command; None where there is none of that name."""
        place = self._places.get(cmd_name)
        if place is None:
            return None
        module, _, attribute = place.partition(":")
        command: click.Command = getattr(importlib.import_module(module), attribute)
        return command
