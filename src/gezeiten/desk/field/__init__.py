"""A day's work: what is at risk, what is missing, the round and its paper."""
