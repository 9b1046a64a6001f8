"""Lamps, cleaning, the log and what is due today."""
