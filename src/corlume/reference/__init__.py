"""Bundled tables, each with its source inside the file."""
