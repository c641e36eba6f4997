"""The same acts without a window, for scripts and timers."""
