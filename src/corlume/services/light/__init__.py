"""What the light is: at points, in slices, by layers; all of it remembered."""
