"""Mounts of a setup and its mounting sheet."""
