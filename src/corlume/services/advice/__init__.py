"""What is said of the light, and what would help."""
