"""Use cases: what a face asks for, built from the core, the reference tables, the formats and the store."""
