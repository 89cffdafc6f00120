"""Bringing tables in: choosing them, how they are read, passwords, what was used lately."""
