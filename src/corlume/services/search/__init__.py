"""The search for a layout, from the request to answers that explain themselves."""
