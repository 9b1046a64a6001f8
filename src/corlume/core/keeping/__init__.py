"""A whole tank as it is kept: its scene, rock to begin with, and own fixtures."""
