"""The Logbook: what was done, by whom, and whether it is whole."""
