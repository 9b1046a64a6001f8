"""The day of a setup, slow change, presets and controllers."""
