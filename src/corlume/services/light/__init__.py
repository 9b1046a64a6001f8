"""The light of a tank at points, in slices and by layers; all of it cached."""
