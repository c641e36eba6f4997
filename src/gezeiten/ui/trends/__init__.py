"""Trends: records on one time axis, their figures, their readings as a table."""
