"""The light model: fixtures, beams, the water surface, panes, water, rock, and the resulting PAR field."""
