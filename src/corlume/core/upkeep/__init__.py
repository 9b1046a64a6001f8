"""Lamps, dirt and wear, and what is due."""
