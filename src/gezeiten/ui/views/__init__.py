"""The places of the window, one module each."""
