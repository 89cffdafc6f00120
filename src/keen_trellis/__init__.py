"""Joins and blends between sheets and tables, with every matched and unmatched row in view."""
