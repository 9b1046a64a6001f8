"""Corals, their spots and the coral library."""
