"""Storage: database, raw vault and logbook."""
