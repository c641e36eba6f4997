"""Sites, points and what stands at them: sources, limits, quantities."""
