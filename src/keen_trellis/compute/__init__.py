"""Nodes run on NumPy: keys, matches, conditions, summaries, outcomes, each on whole columns."""
