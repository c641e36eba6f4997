"""Excursions: what was outside its limits, assessed."""
