"""How light goes: lamps and lenses, surface, panes, water, rock, and the field that comes of it."""
