"""Texts that hold names, for the places where Qt would take some of their signs for its own."""

from __future__ import annotations

from html import escape


def literal(text: str) -> str:
    """Return a text for a button or box that shows it as it is: one "&" alone is a sign of keys."""
    return text.replace("&", "&&")


def plain_tip(text: str) -> str:
    """Return a text for a tip that shows it as it is: Qt takes for markup whatever looks like it,
    and a tip cannot be told otherwise."""
    if "<" not in text and "&" not in text:
        return text
    return f"<p style='white-space:pre-wrap'>{escape(text)}</p>"
