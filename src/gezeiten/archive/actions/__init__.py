"""The one way to write: acts done, entered, caught up, joined, and tables rebuilt from them."""
