"""Bytes that come: entered as actions, their readings put into blocks or rebuilt."""
