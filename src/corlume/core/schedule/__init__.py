"""Light over time: the day of a setup, daily light, presets, and slow change."""
