"""The parts of a layout search: layouts, rules of thumb, the level solver, and the search."""
