"""The mounting sheet."""
