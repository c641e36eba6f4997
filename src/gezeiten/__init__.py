"""Gezeiten: programs stand-alone loggers and keeps, mends and hands over their records."""

__version__ = "0.1.0"
