"""Tanks in SQLite: plain SQL, ordered migrations, a journal for undo. Knows nothing of the web."""
