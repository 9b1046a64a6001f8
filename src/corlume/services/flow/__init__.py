"""The flow of a tank, and which change of its pumps would help."""
