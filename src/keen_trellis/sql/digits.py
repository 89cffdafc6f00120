"""How many digits an exact decimal has elsewhere; known also where no parser of SQL is."""

EXACT_BEHIND, EXACT_BEFORE = 18, 20
"""How many digits a decimal of Spark has behind and before the mark: a column has one shape there,
and 38 digits in all."""
