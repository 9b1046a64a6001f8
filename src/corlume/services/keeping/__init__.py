"""The keeper's data: saved, changed, undone, imported and exported."""
