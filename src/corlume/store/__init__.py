"""Keeps tanks in SQLite: plain SQL, ordered migrations, a journal behind undo. Knows nothing of the web."""
