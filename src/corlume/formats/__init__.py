"""Text and bytes to core objects and back: no disk, no web."""
