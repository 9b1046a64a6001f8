"""How fixtures hang: frames, alignment, collisions, glare, and whether it all can be mounted."""
