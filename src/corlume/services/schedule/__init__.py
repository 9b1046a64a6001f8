"""The light of a day, plans of slow change, and what a controller is told."""
