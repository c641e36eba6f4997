"""The Tideboard as rules: from what is known of points to what they need and when to go."""
