"""The plan editor, in sections."""
