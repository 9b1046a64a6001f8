"""Setups side by side, and target zones."""
