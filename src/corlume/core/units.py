"""Lengths of the trade in metres, and angles in radians: the core is SI, conversion happens at the edges."""

CM = 0.01
INCH = 0.0254
DEGREE = 0.017453292519943295
LITRES_AN_HOUR = 1e-3 / 3600
MONTH = 365.25 / 12
"""Days of a month on average [d]."""
GALLONS_AN_HOUR = 3.785411784e-3 / 3600
