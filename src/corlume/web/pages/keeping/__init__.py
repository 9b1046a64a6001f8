"""Tanks, the fixture library, backups, phones and the list of terms."""
