"""What a setup is meant for, the figures and verdicts of its light, its zones and its problems."""
