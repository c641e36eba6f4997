"""PDF pages."""
