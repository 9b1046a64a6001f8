"""A coral's first weeks and after: where it came from, what was done, what was seen of it, and what to do next."""
