"""What a setup is meant for, what its light comes to, and what is said of it."""
