"""Forms: what was typed to core values; one file an entity that takes more than its declaration."""
