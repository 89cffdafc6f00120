"""Formulas: the scalar expressions of standard SQL (ISO/IEC 9075), read and checked.

`formulas.reading` makes of a text an expression whose kind is known, or says what is wrong and
where. sqlglot is loaded only once there is a formula to read.
"""
