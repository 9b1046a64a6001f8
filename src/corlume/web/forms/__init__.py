"""Forms: typed text to core values; one file for each thing that takes more than its declaration."""
