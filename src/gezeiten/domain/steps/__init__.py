"""Steps from what loggers recorded to the record, and what fills a gap."""
