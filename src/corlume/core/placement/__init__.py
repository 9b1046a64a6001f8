"""Which spot suits which coral, and the best spots for all corals together."""
