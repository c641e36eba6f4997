"""Readings in time: series, what they are made of, what is held, their figures and pictures."""
