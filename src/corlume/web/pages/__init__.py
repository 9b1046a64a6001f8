"""Pages, named after their addresses."""
