"""The schema of a table that is there."""

from __future__ import annotations

from keen_trellis.data import Field, Kind, Table
from keen_trellis.plan.schema import Schema, SchemaColumn


def schema_of(table: Table) -> Schema:
    """Return the columns of a table; those of texts are looked at for whether any has a value."""
    # A late column says its kind before anybody looks at it, so its source declares it.
    late = table.to_come()
    return Schema(
        tuple(
            SchemaColumn(
                field.name,
                field.kind,
                field.origin,
                seen=field.name in late or _is_seen(table, field),
            )
            for field in table.fields
        )
    )


def _is_seen(table: Table, field: Field) -> bool:
    if field.kind is not Kind.TEXT:
        return True
    return any(column.is_seen for column in table.source_columns(field))
