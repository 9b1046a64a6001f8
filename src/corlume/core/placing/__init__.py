"""Every coral to a place: what a place is worth to a coral, and the best places for all of them together."""
