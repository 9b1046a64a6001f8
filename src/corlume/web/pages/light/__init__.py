"""The PAR map."""
