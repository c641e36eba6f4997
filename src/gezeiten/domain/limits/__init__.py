"""Limits, when a reading is outside them, and what people said of that."""
