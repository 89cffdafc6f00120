"""Formulas worked out on whole columns; texts once per distinct text."""
