"""Find spots for corals: one, or all unplaced ones together."""
