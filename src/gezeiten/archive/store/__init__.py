"""What lies on the disk: chain files, bytes by their fingerprint, tables."""
