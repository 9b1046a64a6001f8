"""What stands beside the tank, each behind a small protocol with a simulated and a network sibling."""
