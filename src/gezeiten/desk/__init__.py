"""Use cases: what a technician does, composed from link, archive, exchange and report. No Qt."""
