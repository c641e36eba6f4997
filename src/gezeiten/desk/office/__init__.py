"""Afterwards: documents, the logbook, the check of everything, finding."""
