"""The window around all places: strip, finder, work off the main thread, themes, words."""
