"""Mend: gaps and what fills them."""
