"""What a layout search is made of: layouts, rules of thumb, the levels that fit best, and the search."""
