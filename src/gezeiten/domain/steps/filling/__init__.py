"""Estimates for a gap: by a straight line, the series' own cycles, a companion; each with an error
that was measured on stretches hidden from it."""
