"""Text files: how one is read, shown and asked about; the kinds that are kept."""
