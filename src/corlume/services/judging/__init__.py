"""Judge a setup, and work out which changes would solve its problems."""
