"""The Tideboard: what is at risk, on one time line."""
