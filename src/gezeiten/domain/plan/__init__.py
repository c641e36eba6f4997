"""Plans of missions: what they say, whether they fit a logger, how long they last."""
