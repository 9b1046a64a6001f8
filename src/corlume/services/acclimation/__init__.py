"""What each coral needs today, by its acclimation log."""
