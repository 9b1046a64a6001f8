"""A coral's log, and the status of its acclimation."""
