"""The record of a point: its readings, its excursions, the facts of its place."""
