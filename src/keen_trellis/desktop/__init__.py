"""The window: the only part of the program that knows Qt."""
