"""Talking to loggers by their routes; register map and mission file are shared with them."""
