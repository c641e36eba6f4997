"""What is measured: quantities with their units, and what follows from several."""
