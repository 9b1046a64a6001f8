"""The light model and the rules of the trade: SI units, no web, no store, no files."""
