"""Handover: documents of a stretch."""
