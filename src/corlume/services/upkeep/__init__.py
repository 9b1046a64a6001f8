"""Lamps, cleaning, wear, what is due, and the log."""
