"""Mounting of fixtures: frames, alignment, collisions, glare, and checks of a layout."""
