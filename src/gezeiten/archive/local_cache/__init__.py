"""This computer's own, made anew at will: readings in blocks, excursions found in them."""
