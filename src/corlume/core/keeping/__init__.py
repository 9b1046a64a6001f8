"""A tank as a file keeps it: the scene, rockscapes to begin with, and own fixtures."""
