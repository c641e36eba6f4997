"""Simulated loggers: separate processes behind the real protocol, honest about being stand-ins."""
