"""This computer's own, rebuilt at will: readings in blocks, excursions found in them."""
