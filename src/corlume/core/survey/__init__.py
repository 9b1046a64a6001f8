"""Surveys by meter: the uncertainty of a prediction, where to measure, and the correction by readings."""
