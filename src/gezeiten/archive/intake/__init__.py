"""Bytes that come: entered as acts, their readings put into blocks or made anew."""
