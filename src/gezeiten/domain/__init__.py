"""Rules of the trade, pure functions on arrays and frozen dataclasses: no I/O, clock or Qt."""
