"""The daily check and each coral's log."""
