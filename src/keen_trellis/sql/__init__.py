"""The same trellis in SQL: every node of a plan as a query that gives the same rows elsewhere.

`writer.Writer` turns nodes into relations, each a named query over those before it. What a dialect
has no equal for is left to our own code: its distinct values are worked out here and sent back as a
table (`relations.Mapped`). What can be neither said nor sent is refused by name (`NotThereError`).
"""
