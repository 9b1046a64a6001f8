"""The goal of a setup, the figures and verdicts of its light, its zones and its problems."""
