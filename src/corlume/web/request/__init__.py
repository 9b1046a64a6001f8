"""What every request goes through: the guard, paired devices, the shared parts of pages and their assets."""
