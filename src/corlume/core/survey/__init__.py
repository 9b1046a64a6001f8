"""What a meter tells: how sure a prediction is, where to measure, and what readings correct."""
