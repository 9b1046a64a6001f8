"""What each coral needs today, by its log."""
