"""Measures the engine against SQLite and csv in one run, so that the ratios hold on any machine."""
