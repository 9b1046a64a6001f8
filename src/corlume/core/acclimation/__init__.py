"""The acclimation log of a coral, and the status that follows from it."""
