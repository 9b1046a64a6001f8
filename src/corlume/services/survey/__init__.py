"""Plan a survey, correct the light by its readings, and report the results."""
