"""The layout search, from the request to results with their reasons."""
