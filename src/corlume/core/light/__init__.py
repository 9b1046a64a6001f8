"""How light goes: lamps and lenses, surface, panes, water, rock, and the field of PAR that follows."""
