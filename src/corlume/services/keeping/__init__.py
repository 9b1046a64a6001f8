"""What the keeper keeps: written down, changed, undone, brought in and taken out."""
