"""Draws the light chart as SVG: sheet, tank, light, fixtures, corals."""
