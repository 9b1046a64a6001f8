"""Layout search and light types."""
