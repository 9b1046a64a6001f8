"""Corlume: the reef keeper's light bench."""

__version__ = "0.1.0"
