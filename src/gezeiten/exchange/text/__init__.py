"""Texts of readings, whoever wrote them: proposed, asked about, read."""
