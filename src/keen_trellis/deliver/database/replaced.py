"""Tables replaced: emptied and filled anew, so that all that hangs on them stays.

A table is made anew only where its columns are others than those that are delivered, and where
nothing hangs on it that would go with it: rights, indexes, comments, triggers, views. A primary key
is what the delivery says.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from keen_trellis.base.errors import DeliveryError
from keen_trellis.base.language import marked, tr
from keen_trellis.base.words import listed, with_capital
from keen_trellis.data.kinds import Kind
from keen_trellis.deliver.database.added import changed_values, digits_before

if TYPE_CHECKING:
    import sqlite3

    from keen_trellis.data import Column, Table

_BITS = {"TINYINT": 8, "SMALLINT": 16, "MEDIUMINT": 24, "INTEGER": 32, "INT": 32, "BIGINT": 64}

_HANGS = {
    "index": marked("the index {name}"),
    "right": marked("the rights of {name}"),
    "comment": marked("the comment “{name}”"),
    "trigger": marked("the trigger {name}"),
    "policy": marked("the policy {name}"),
    "constraint": marked("the constraint {name}"),
    "view": marked("the view {name}"),
    "default": marked("how {name} is filled by itself"),
}

IN_POSTGRES = """
WITH it AS (SELECT c.* FROM pg_catalog.pg_class c WHERE c.oid = %(table)s::regclass)
SELECT 'right', CASE a.grantee WHEN 0 THEN 'PUBLIC' ELSE a.grantee::regrole::text END
FROM it, aclexplode(it.relacl) a WHERE a.grantee <> it.relowner AND NOT EXISTS (
    -- what every new table gives is given again
    SELECT FROM pg_catalog.pg_default_acl d, aclexplode(d.defaclacl) e
    WHERE d.defaclobjtype = 'r' AND d.defaclrole = current_user::regrole
    AND d.defaclnamespace IN (0, it.relnamespace)
    AND (e.grantee, e.privilege_type) = (a.grantee, a.privilege_type))
UNION SELECT 'right', n.attname FROM it JOIN pg_catalog.pg_attribute n ON n.attrelid = it.oid
WHERE n.attacl IS NOT NULL
UNION SELECT 'right', it.relowner::regrole::text FROM it
WHERE it.relowner <> current_user::regrole
UNION SELECT 'index', c.relname FROM it JOIN pg_catalog.pg_index i ON i.indrelid = it.oid
JOIN pg_catalog.pg_class c ON c.oid = i.indexrelid
WHERE NOT i.indisprimary
UNION SELECT 'comment', d.description FROM it JOIN pg_catalog.pg_description d
ON d.objoid = it.oid AND d.classoid = 'pg_catalog.pg_class'::regclass
UNION SELECT 'trigger', t.tgname FROM it JOIN pg_catalog.pg_trigger t ON t.tgrelid = it.oid
WHERE NOT t.tgisinternal
UNION SELECT 'policy', p.polname FROM it JOIN pg_catalog.pg_policy p ON p.polrelid = it.oid
UNION SELECT 'constraint', s.conname FROM it JOIN pg_catalog.pg_constraint s
ON s.confrelid = it.oid OR s.conrelid = it.oid AND s.contype IN ('c', 'f')
UNION SELECT 'view', r.ev_class::regclass::text FROM it JOIN pg_catalog.pg_depend d
ON d.refobjid = it.oid AND d.classid = 'pg_catalog.pg_rewrite'::regclass
JOIN pg_catalog.pg_rewrite r ON r.oid = d.objid AND r.ev_class <> it.oid
UNION SELECT 'default', n.attname FROM it JOIN pg_catalog.pg_attribute n ON n.attrelid = it.oid
WHERE NOT n.attisdropped AND (n.atthasdef OR n.attidentity <> '')
UNION SELECT 'constraint', n.attname || ' NOT NULL' FROM it
JOIN pg_catalog.pg_attribute n ON n.attrelid = it.oid
WHERE n.attnum > 0 AND n.attnotnull AND NOT n.attisdropped AND NOT EXISTS (
    SELECT FROM pg_catalog.pg_index i
    WHERE i.indrelid = it.oid AND i.indisprimary AND n.attnum = ANY(i.indkey))
ORDER BY 1, 2
"""

IN_MARIADB = """
SELECT 'index', index_name FROM information_schema.statistics
WHERE table_schema = COALESCE(%(schema)s, DATABASE()) AND table_name = %(table)s
AND index_name <> 'PRIMARY'
UNION SELECT 'trigger', trigger_name FROM information_schema.triggers
WHERE event_object_schema = COALESCE(%(schema)s, DATABASE()) AND event_object_table = %(table)s
UNION SELECT 'constraint', constraint_name FROM information_schema.key_column_usage
WHERE referenced_table_name IS NOT NULL AND (
    table_schema = COALESCE(%(schema)s, DATABASE()) AND table_name = %(table)s
    OR referenced_table_schema = COALESCE(%(schema)s, DATABASE())
    AND referenced_table_name = %(table)s)
UNION SELECT 'comment', table_comment FROM information_schema.tables
WHERE table_schema = COALESCE(%(schema)s, DATABASE()) AND table_name = %(table)s
AND table_comment <> ''
UNION SELECT 'comment', column_comment FROM information_schema.columns
WHERE table_schema = COALESCE(%(schema)s, DATABASE()) AND table_name = %(table)s
AND column_comment <> ''
UNION SELECT 'default', column_name FROM information_schema.columns
WHERE table_schema = COALESCE(%(schema)s, DATABASE()) AND table_name = %(table)s
AND (extra <> '' OR column_default <> 'NULL')
UNION SELECT 'constraint', CONCAT(column_name, ' NOT NULL') FROM information_schema.columns
WHERE table_schema = COALESCE(%(schema)s, DATABASE()) AND table_name = %(table)s
AND is_nullable = 'NO' AND column_key <> 'PRI'
UNION SELECT 'constraint', constraint_name FROM information_schema.table_constraints
WHERE table_schema = COALESCE(%(schema)s, DATABASE()) AND table_name = %(table)s
AND constraint_type = 'CHECK'
ORDER BY 1, 2
"""

IN_SQLITE = """
SELECT type, name FROM sqlite_master
WHERE lower(tbl_name) = lower(?) AND type IN ('index', 'trigger') AND sql IS NOT NULL ORDER BY 1, 2
"""
_RULES_OF_SQLITE = re.compile(r"\b(CHECK|UNIQUE|REFERENCES|DEFAULT|NOT\s+NULL|COLLATE|GENERATED)\b")
_NAMED = re.compile(r"""\"[^\"]*\"|`[^`]*`|\[[^]]*\]|'[^']*'""")


def hangs_in_sqlite(database: sqlite3.Connection, table: str) -> list[tuple[str, str]]:
    """Return what hangs on a table of SQLite; its rules stand in the words that made it alone."""
    found = [(str(sort), str(name)) for sort, name in database.execute(IN_SQLITE, (table,))]
    made = database.execute(
        "SELECT sql FROM sqlite_master WHERE lower(name) = lower(?) AND type = 'table'", (table,)
    ).fetchone()
    words = _NAMED.sub("", made[0]).upper() if made else ""
    return found + [("constraint", rule) for rule in sorted({*_RULES_OF_SQLITE.findall(words)})]


def is_kept(table: Table, there: Mapping[str, Any], dialect: str) -> bool:
    """Whether a table that is there can be emptied and hold the rows of another as they are.

    Parameters
    ----------
    table : Table
        What is to stand there.
    there : mapping of column to type of SQLAlchemy
    dialect : str
        As SQLAlchemy calls it.
    """
    return set(there) == set(table.columns) and all(
        _holds(table.fetch(field), there[field.name], dialect) for field in table.fields
    )


def _holds(column: Column, held_as: Any, dialect: str) -> bool:
    import sqlalchemy as sa

    from keen_trellis.servers.database_values import Asked

    kind = Asked.of(sa.Column("x", held_as), dialect).kind
    if kind is not column.kind or changed_values(column, held_as):
        return False
    # What is too large is refused by the server itself, in the middle of the rows.
    present = column.values if column.absent is None else column.values[~column.absent]
    if kind is Kind.INTEGER and len(present):
        bits = _BITS.get(type(held_as).__name__, 64)
        low, high = (0, 1 << bits) if getattr(held_as, "unsigned", False) else (-1 << bits - 1, 0)
        return low <= int(np.min(present)) and int(np.max(present)) < (high or 1 << bits - 1)
    precision = getattr(held_as, "precision", None)  # integers without a sign have none
    if kind is Kind.EXACT and precision is not None:
        room: int = precision - (held_as.scale or 0)
        return digits_before(column) <= room
    return True


def require_nothing_hangs(hangs: Iterable[Sequence[Any]], words: str) -> None:
    """Refuse to make a table anew on which something hangs; `hangs` are its sorts and names.

    Raises
    ------
    DeliveryError
        It names them.
    """
    found = [tr(_HANGS[sort], name=str(name)[:60]) for sort, name in hangs]
    if found:
        raise DeliveryError(
            tr(
                "{words} would be made anew, since its columns are others, and lose {what}.",
                words=with_capital(words),
                what=listed(found),
            ),
            tr("Let the columns go on that it has, in their kinds, or remove it there yourself."),
        )
