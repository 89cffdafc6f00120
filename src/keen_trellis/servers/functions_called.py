"""Functions that a query typed by hand may call: those that are known only to read.

PostgreSQL's catalogue says of each function whether it may change anything, and in what language
it is written. MariaDB says so of the functions that users have made; what it brings itself is
known by the list below, which was taken from its `information_schema.SQL_FUNCTIONS`. SQLite is
asked nothing: its own authorizer refuses there (`connections`).
"""

from __future__ import annotations

from collections.abc import Collection
from typing import TYPE_CHECKING

from keen_trellis.base.errors import SourceError
from keen_trellis.base.language import tr, tr_n
from keen_trellis.base.words import listed

if TYPE_CHECKING:
    import sqlalchemy as sa

_VOLATILE_ALLOWED = (
    *(
        "pg_sleep",
        "bernoulli",
        "system",
        "random",
        "clock_timestamp",
        "timeofday",
        "gen_random_uuid",
        "uuidv4",
        "uuidv7",
    ),
    *("pg_relation_size", "pg_total_relation_size", "pg_table_size", "pg_indexes_size"),
    *("pg_database_size", "pg_is_in_recovery", "pg_partition_tree", "pg_partition_ancestors"),
    *("pg_xact_commit_timestamp", "current_query"),
)
"""Of PostgreSQL's functions that give something else each time, those that change nothing."""

# By name and not by what is called: a name means different functions by the kinds of its
# arguments, and one bad one is enough.
_POSTGRES = """
SELECT DISTINCT p.proname FROM pg_catalog.pg_proc p
JOIN pg_catalog.pg_language l ON l.oid = p.prolang
WHERE p.proname = ANY(:names) AND (
    (p.provolatile = 'v' AND NOT (
        p.proname = ANY(:allowed) AND p.pronamespace = 'pg_catalog'::regnamespace))
    OR l.lanname NOT IN ('internal', 'c', 'sql', 'plpgsql')
    OR p.proname ~ '^(query|table|schema|database|cursor)_to_xml'
    OR p.proname IN ('ts_stat', 'ts_rewrite', 'pg_relation_filepath'))
"""
"""Those of some functions that may change something, run a text as SQL, or look at files."""

_MARIADB = """
SELECT routine_name FROM information_schema.routines
WHERE routine_type = 'FUNCTION' AND routine_name IN :names
AND sql_data_access IN ('NO SQL', 'READS SQL DATA')
"""
"""Those of some functions that users have made and that are declared only to read."""

_NAMES = """
SLEEP AGAINST MATCH GROUP GROUPING POINT LINESTRING POLYGON MULTIPOINT MULTILINESTRING MULTIPOLYGON
GEOMETRYCOLLECTION
ABS ACOS ADDDATE ADDTIME ADD_MONTHS AES_DECRYPT AES_ENCRYPT ANY_VALUE ASCII ASIN ATAN ATAN2 AVG
BETWEEN BIN BIT_AND BIT_COUNT BIT_LENGTH BIT_OR BIT_XOR CAST CEIL CEILING CHARACTER_LENGTH
CHARSET CHAR_LENGTH CHR COALESCE COERCIBILITY COLLATION COLUMNS COLUMN_CHECK COLUMN_CREATE
COLUMN_EXISTS COLUMN_GET COLUMN_JSON COLUMN_LIST COMPRESS CONCAT CONCAT_WS CONNECTION_ID
CONTAINS CONV CONVERT CONVERT_TZ COS COT COUNT CRC32 CRC32C CUME_DIST CURDATE CURRENT_DATE
CURRENT_TIME CURRENT_TIMESTAMP CURRENT_USER CURTIME DATABASE DATEDIFF DATE_ADD DATE_FORMAT
DATE_SUB DAY DAYNAME DAYOFMONTH DAYOFWEEK DAYOFYEAR DECODE DEGREES DENSE_RANK ELT ENCODE EXP
EXPORT_SET EXTRACT EXTRACTVALUE FIELD FIND_IN_SET FIRST_VALUE FLOOR FORMAT FOUND_ROWS
FROM_BASE64 FROM_DAYS FROM_UNIXTIME GREATEST GROUP_CONCAT HEX HOUR IF IFNULL INET6_ATON
INET6_NTOA INET_ATON INET_NTOA INSTR ISNULL IS_IPV4 IS_IPV4_COMPAT IS_IPV4_MAPPED IS_IPV6
JSON_ARRAY JSON_ARRAYAGG JSON_ARRAY_APPEND JSON_ARRAY_INSERT JSON_COMPACT JSON_CONTAINS
JSON_CONTAINS_PATH JSON_DEPTH JSON_DETAILED JSON_EQUALS JSON_EXISTS JSON_EXTRACT JSON_INSERT
JSON_KEYS JSON_LENGTH JSON_LOOSE JSON_MERGE JSON_MERGE_PATCH JSON_MERGE_PRESERVE JSON_NORMALIZE
JSON_OBJECT JSON_OBJECTAGG JSON_OVERLAPS JSON_PRETTY JSON_QUERY JSON_QUOTE JSON_REMOVE
JSON_REPLACE JSON_SEARCH JSON_SET JSON_TABLE JSON_TYPE JSON_UNQUOTE JSON_VALID JSON_VALUE LAG
LAST_DAY LAST_VALUE LCASE LEAD LEAST LEFT LENGTH LENGTHB LN LOCALTIME LOCALTIMESTAMP LOCATE LOG
LOG10 LOG2 LOWER LPAD LTRIM MAKEDATE MAKETIME MAKE_SET MAX MBRCONTAINS MD5 MEDIAN MICROSECOND
MID MIN MINUTE MOD MONTH MONTHNAME NAME_CONST NATURAL_SORT_KEY NOW NTH_VALUE NTILE NULLIF NVL
NVL2 OCT OCTET_LENGTH ORD OVER PARTITION PERCENTILE_CONT PERCENTILE_DISC PERCENT_RANK PERIOD_ADD
PERIOD_DIFF PI POSITION POW POWER QUARTER QUOTE RADIANS RAND RANDOM_BYTES RANK REGEXP_INSTR
REGEXP_REPLACE REGEXP_SUBSTR REPEAT REVERSE RIGHT ROUND ROW ROW_COUNT ROW_NUMBER RPAD RTRIM
SCHEMA SECOND SEC_TO_TIME SESSION_USER SFORMAT SHA SHA1 SHA2 SIGN SIN SOUNDEX SPACE SQRT STD
STDDEV STDDEV_POP STDDEV_SAMP STRCMP STR_TO_DATE SUBDATE SUBSTR SUBSTRING SUBSTRING_INDEX
SUBTIME SUM SYSDATE SYSTEM_USER SYS_GUID TAN TIMEDIFF TIMESTAMPADD TIMESTAMPDIFF TIME_FORMAT
TIME_TO_SEC TO_BASE64 TO_CHAR TO_DAYS TO_SECONDS TRIM TRUNCATE UCASE UNCOMPRESS
UNCOMPRESSED_LENGTH UNHEX UNIX_TIMESTAMP UPDATEXML UPPER USER USING UTC_DATE UTC_TIME
UTC_TIMESTAMP UUID UUID_SHORT VALUE VARIANCE VAR_POP VAR_SAMP VERSION WEEK WEEKDAY WEEKOFYEAR
WEIGHT_STRING YEARWEEK
"""
_OF_MARIADB = frozenset(_NAMES.split())
"""MariaDB's and MySQL's own functions that only read, and words that a bracket may follow."""


def _is_known(name: str) -> bool:
    """Whether a function of MariaDB only reads; all that begin with ST_ work out shapes."""
    return name in _OF_MARIADB or name.startswith("ST_")


def require_reading(connection: sa.Connection, names: Collection[str]) -> None:
    """Refuse functions of a server that are not known only to read.

    Parameters
    ----------
    connection : Connection
        Of SQLAlchemy.
    names : collection of str
        What is called, as `refuse_writing` tells it; those of PostgreSQL in small letters unless
        quoted.

    Raises
    ------
    SourceError
        It names them.
    """
    import sqlalchemy as sa

    if not names:
        return
    if connection.dialect.name == "postgresql":
        # Names may be schema-less: every schema’s function of that name is looked at.
        asked = {"names": sorted(names), "allowed": [*_VOLATILE_ALLOWED]}
        unknown = [name for (name,) in connection.execute(sa.text(_POSTGRES), asked)]
    else:
        unknown = sorted(name.lstrip(".") for name in names if not _is_known(name.upper()))
        if unknown:
            # Looked for among those that users made only where it is none of the server’s own:
            # without a database before it, theirs cannot hide one.
            query = sa.text(_MARIADB).bindparams(sa.bindparam("names", expanding=True))
            read = {name.lower() for (name,) in connection.execute(query, {"names": unknown})}
            unknown = [name for name in unknown if name.lower() not in read]
    if unknown:
        named = listed([f"“{name.lower()}”" for name in unknown])
        raise SourceError(
            tr_n(
                len(unknown),
                "{named} does more than read, or does not tell the server whether.",
                "{named} do more than read, or do not tell the server whether.",
                named=named,
            ),
            tr("Take it out: a query may call what is known only to read."),
        )
