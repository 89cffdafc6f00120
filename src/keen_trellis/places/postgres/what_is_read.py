"""What a statement reads, by PostgreSQL's own catalogue: whether it gives the same rows each time.

A statement is made a view for a moment, and its rule walked with those of all views below it: the
rule names every function, relation and clause by what it is, whatever the statement calls it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

_VIEW = "keen_asked"

_RULES = f"""
WITH RECURSIVE rules(of_view, tree) AS (
    SELECT r.ev_class, r.ev_action::text FROM pg_catalog.pg_rewrite r
    WHERE r.ev_class = 'pg_temp.{_VIEW}'::regclass
    UNION
    SELECT r.ev_class, r.ev_action::text FROM rules
    CROSS JOIN LATERAL regexp_matches(rules.tree, ':relid (\\d+)', 'g') AS found(relid)
    JOIN pg_catalog.pg_rewrite r ON r.ev_class = found.relid[1]::oid AND r.ev_type = '1'
), functions AS (
    SELECT DISTINCT p.* FROM rules CROSS JOIN LATERAL regexp_matches(
        rules.tree, ':(?:funcid|opfuncid|aggfnoid|winfnoid) (\\d+)', 'g') AS found(oid)
    JOIN pg_catalog.pg_proc p ON p.oid = found.oid[1]::oid
), relations AS (
    SELECT DISTINCT c.* FROM rules
    CROSS JOIN LATERAL regexp_matches(rules.tree, ':relid (\\d+)', 'g') AS found(relid)
    JOIN pg_catalog.pg_class c ON c.oid = found.relid[1]::oid
)
SELECT
    EXISTS (SELECT FROM functions WHERE provolatile = 'v')
    OR EXISTS (SELECT FROM relations WHERE relkind = 'f') AS is_other,
    NOT EXISTS (SELECT FROM rules WHERE tree ~
        ':hasDistinctOn true|:hasWindowFuncs true|:limit(Count|Offset) \\{{|\\{{TABLESAMPLECLAUSE')
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
"""Of a statement: whether it may give other rows each time that its functions run, whether its
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
    """What is known of the rows that a statement gives.

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
"""Of a statement that no view can be made of: a column of it is a row of its own."""


def what_is_read(cursor: Any, statement: str, columns: int) -> WhatIsRead:
    """Return what the catalogue knows of a statement.

    Parameters
    ----------
    cursor : Cursor
        Of a transaction of which the caller undoes what is done here.
    statement : str
    columns : int
        How many it gives.
    """
    import psycopg

    names = ", ".join(f"c{number}" for number in range(columns))
    try:
        cursor.execute(
            f"CREATE TEMPORARY VIEW {_VIEW} ({names}) AS SELECT * FROM ({statement}) AS q"
        )
    except psycopg.errors.InvalidTableDefinition:
        return UNKNOWN
    cursor.execute(_RULES)
    return WhatIsRead(*cursor.fetchone())


def names_differ(cursor: Any, *accounts: str) -> bool:
    """Whether a name without a schema may mean another table to one of some accounts."""
    cursor.execute(_NAMES_ELSEWHERE, {"accounts": list(accounts)})
    return bool(cursor.fetchone()[0])
