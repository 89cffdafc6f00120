"""What a table, view or query reads, by PostgreSQL's own catalogue: whether its rows stay the same.

The rule of a view names every function, relation and clause by what it is, whatever the view calls
it: it is walked with those of all views below it. A query is made a view for a moment.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

_VIEW = "keen_asked"

_RULES = """
WITH RECURSIVE rules(of_view, tree) AS (
    SELECT r.ev_class, r.ev_action::text FROM pg_catalog.pg_rewrite r
    WHERE r.ev_class = %(of)s::regclass AND r.ev_type = '1'
    UNION
    SELECT r.ev_class, r.ev_action::text FROM rules
    CROSS JOIN LATERAL regexp_matches(rules.tree, ':relid (\\d+)', 'g') AS found(relid)
    JOIN pg_catalog.pg_rewrite r ON r.ev_class = found.relid[1]::oid AND r.ev_type = '1'
), functions AS (
    SELECT DISTINCT p.* FROM rules CROSS JOIN LATERAL regexp_matches(
        rules.tree, ':(?:funcid|opfuncid|aggfnoid|winfnoid) (\\d+)', 'g') AS found(oid)
    JOIN pg_catalog.pg_proc p ON p.oid = found.oid[1]::oid
), named(oid) AS (
    SELECT %(of)s::regclass::oid
    UNION SELECT found.relid[1]::oid FROM rules
    CROSS JOIN LATERAL regexp_matches(rules.tree, ':relid (\\d+)', 'g') AS found(relid)
    -- parts of a table may lie on another server
    UNION SELECT i.inhrelid FROM named JOIN pg_catalog.pg_inherits i ON i.inhparent = named.oid
), relations AS (
    SELECT c.* FROM named JOIN pg_catalog.pg_class c USING (oid)
)
SELECT
    EXISTS (SELECT FROM functions WHERE provolatile = 'v')
    OR EXISTS (SELECT FROM relations WHERE relkind = 'f') AS is_other,
    NOT EXISTS (SELECT FROM rules WHERE tree ~
        ':hasDistinctOn true|:hasWindowFuncs true|:limit(Count|Offset) \\{|\\{TABLESAMPLECLAUSE')
    AND NOT EXISTS (SELECT FROM functions WHERE prokind = 'a' AND (
        oid >= 16384 OR proname ~ '^(array|string|xml|json).*agg|^mode$|^any_value$'
        OR proargtypes::oid[] && ARRAY['float4'::regtype::oid, 'float8'::regtype::oid]
            AND proname NOT IN ('min', 'max', 'count'))) AS is_steady,
    EXISTS (SELECT FROM relations WHERE relrowsecurity)
    OR EXISTS (SELECT FROM rules WHERE tree ~ 'SQLVALUEFUNCTION :op (9|1[0124])\\M')
    OR EXISTS (SELECT FROM functions WHERE proname ~
        '^(current_user|session_user|current_schemas?|current_setting|getpgusername)$|^(has|pg_has)_')
    AS asks_who
"""
"""Of a relation: whether it may give other rows each time that its functions run, whether its
clauses leave open which rows or in what order they are put together, and whether it depends on who
asks. The numbers are those of CURRENT_ROLE, CURRENT_USER, USER, SESSION_USER and CURRENT_SCHEMA."""

_NAMES_ELSEWHERE = """
SELECT EXISTS (SELECT FROM pg_catalog.pg_namespace WHERE nspname = ANY(%(accounts)s))
OR EXISTS (SELECT FROM pg_catalog.pg_db_role_setting s
    JOIN pg_catalog.pg_roles r ON r.oid = s.setrole
    WHERE r.rolname = ANY(%(accounts)s)
    AND EXISTS (SELECT FROM unnest(s.setconfig) AS one WHERE one LIKE 'search_path=%%'))
"""
"""Whether some accounts may find another table by a name that says no schema."""


@dataclass(frozen=True, slots=True)
class WhatIsRead:
    """What is known of the rows that are read.

    Attributes
    ----------
    is_other : bool
        Whether a function or another server below it may give something else each time.
    is_steady : bool
        Whether it gives the same rows, one state of the tables provided, however it is carried out.
    asks_who : bool
        Whether its rows may depend on the account that asks.
    """

    is_other: bool
    is_steady: bool
    asks_who: bool


UNKNOWN = WhatIsRead(is_other=True, is_steady=False, asks_who=True)
"""Of a query that no view can be made of."""


def read_by_relation(cursor: Any, relation: str) -> WhatIsRead:
    """Return what the catalogue knows of a table or view, by its name in quotes."""
    cursor.execute(_RULES, {"of": relation})
    return WhatIsRead(*cursor.fetchone())


def read_by_query(cursor: Any, query: str, columns: int) -> WhatIsRead:
    """Return what the catalogue knows of a query.

    Parameters
    ----------
    cursor : Cursor
        Of a transaction of which the caller undoes what is done here.
    query : str
    columns : int
        How many it gives.
    """
    import psycopg

    names = ", ".join(f"c{number}" for number in range(columns))
    try:
        cursor.execute(f"CREATE TEMPORARY VIEW {_VIEW} ({names}) AS SELECT * FROM ({query}) AS q")
    except (
        psycopg.errors.InvalidTableDefinition,  # a column is a row of its own
        psycopg.errors.InsufficientPrivilege,  # the account may make nothing, not even for itself
        psycopg.errors.ReadOnlySqlTransaction,  # the server follows another one
    ):
        return UNKNOWN
    return read_by_relation(cursor, f"pg_temp.{_VIEW}")


def names_differ(cursor: Any, *accounts: str) -> bool:
    """Whether a name without a schema may mean another table to one of some accounts."""
    cursor.execute(_NAMES_ELSEWHERE, {"accounts": list(accounts)})
    return bool(cursor.fetchone()[0])
