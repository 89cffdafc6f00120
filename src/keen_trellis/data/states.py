"""What a cell can be besides a value."""

PRESENT, BLANK, GAP = 0, 1, 2
"""A value; empty in the source; empty since a tie found no partner."""
