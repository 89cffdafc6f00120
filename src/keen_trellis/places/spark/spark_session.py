"""A run on a Spark cluster, by its Connect client: temporary views, and plans it works out.

Texts and numbers go there and come back as Arrow. A time of day is an integer there, the
microseconds of the day; moments are those of no zone, in a session whose zone is UTC.
"""

from __future__ import annotations

import contextlib
import logging
import re
import shutil
import socket
import uuid
import warnings
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeGuard

import pyarrow as pa
from sqlglot import exp

from keen_trellis.base.errors import (
    ConnectionLostError,
    DeliveryError,
    NotThereError,
    SourceError,
    UserError,
    reason,
)
from keen_trellis.base.language import tr
from keen_trellis.base.progress import Report, quiet
from keen_trellis.data import Column, Kind
from keen_trellis.places.lane_tables import LaneThere, Stored, TableAsked
from keen_trellis.places.place_session import Session
from keen_trellis.places.spark import over_jdbc
from keen_trellis.places.spark.cluster import SparkCluster
from keen_trellis.places.spark.over_jdbc import OverJdbc
from keen_trellis.places.spark.settings import MEANINGS
from keen_trellis.places.transfer_cells import fetched, sent
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Database, Server
from keen_trellis.sql.dialects import SPARK, Sql
from keen_trellis.sql.digits import EXACT_BEFORE, EXACT_BEHIND
from keen_trellis.sql.relations import (
    Mapped,
    Program,
    Relation,
    called,
    choose,
    column,
    identifier,
    select,
    star,
    table,
)

if TYPE_CHECKING:
    from pyspark.sql.connect.session import SparkSession as Spark

_HERE = ("localhost", "127.0.0.1", "::1")
_CONNECT_S, _TRIES, _BACKOFF_MS = 5.0, 5, 1_500
"""How long a server may take to let one in, and how often, and after what pause at most, one that
does not answer any more is tried again: some five seconds in all."""
_WITHOUT_CLIENT = (
    tr("This installation cannot speak to a Spark cluster."),
    tr("Install what it takes: pip install “keen-trellis[cluster]”."),
)


class SparkClusterSession(Session):
    """A run on a cluster.

    Parameters
    ----------
    cluster : SparkCluster
    secrets : Secrets, optional
        Of servers whose tables the cluster reads.

    Raises
    ------
    SourceError
        Nothing answers there as a Spark server does, or this installation has no client for it.
    """

    dialect = SPARK
    runs_our_code = True

    def __init__(self, cluster: SparkCluster, secrets: Secrets | None = None) -> None:
        super().__init__()
        self._secrets = secrets or Secrets()
        self.cluster, self.label = cluster, cluster.label
        self._views: dict[str, Any] = {}
        self._why_not_there: str | None = None
        self._tag = f"keen-{uuid.uuid4().hex}"
        self._spark = self._connected()

    def _connected(self) -> Spark:
        try:
            import grpc  # noqa: F401  the client asks for it when it is first used
            from pyspark.sql.connect.client.retries import DefaultPolicy
            from pyspark.sql.connect.session import SparkSession as Spark
        except ImportError as error:
            raise SourceError(*_WITHOUT_CLIENT) from error
        self._require_answer()
        # the client would write every statement that fails to where we write, values and all
        logging.getLogger("SQLQueryContextLogger").disabled = True
        warnings.filterwarnings("ignore", r"\[RETRIES_EXCEEDED\]")  # it is said in a sentence
        # set all the same: a cluster may still be used to it
        warnings.filterwarnings("ignore", "The SQL config .* has been deprecated")
        try:
            spark = Spark.builder.remote(self.cluster.remote).create()
            # the client alone would wait ten minutes for a server that is gone
            spark.client.set_retry_policies(
                [DefaultPolicy(max_retries=_TRIES, max_backoff=_BACKOFF_MS)]
            )
            for name, value in MEANINGS.items():
                spark.conf.set(name, value)
            spark.addTag(self._tag)
        except Exception as error:
            raise self.explained(error) from error
        return spark

    def _require_answer(self) -> None:
        """Refuse a place where nothing listens, before the client tries again and again."""
        try:
            address = (self.cluster.host, self.cluster.usual_port)
            socket.create_connection(address, _CONNECT_S).close()
        except OSError as error:
            raise self._gone() from error

    def _gone(self) -> ConnectionLostError:
        where = tr(
            "{label}, port {usual_port},", label=self.label, usual_port=self.cluster.usual_port
        )
        return ConnectionLostError(
            tr("{where} does not answer as a Spark server does.", where=where),
            tr("See that its Connect server runs, and that host and port are right."),
        )

    @property
    def spark(self) -> Spark:
        """The client's session."""
        return self._spark

    def parquet_there(self, path: str) -> LaneThere | None:
        """Return how the rows of Parquet files are had, which the cluster sees at a path.

        Raises
        ------
        NotThereError
            A column is of a type that has no equal here.
        """
        if not self._is_seen(Path(path)):
            return None
        statement = _parquet_statement(path)
        frame = self.doing(
            lambda: self._spark.sql(statement).schema,
            quiet,
            tr("Looking at {path}", path=path),
        )
        found, left_out = [], []
        for one in frame.fields:
            stored = _stored(one.name, one.dataType.simpleString(), path)
            if stored is None:
                left_out.append(one.name)
            else:
                found.append(stored)
        return LaneThere(path, SPARK.name, statement, tuple(found), tuple(left_out))

    def table_there(self, database: Database, asked: TableAsked) -> LaneThere | None:
        """Return how the cluster has the rows of a server's table: over JDBC, from the server."""
        if not self._asks(database):
            return None
        if database.type == "mariadb":
            from keen_trellis.places.spark.mariadb_lane import from_mariadb

            return self._view_of(database, from_mariadb(database, asked, self._secrets))
        return self._from_postgres(database, lambda server: server.table_there(database, asked))

    def query_there(self, database: Database, query: str, zone: str) -> LaneThere | None:
        """Return how the cluster has the rows of a query of PostgreSQL.

        What a query of MariaDB gives is of the kinds that its values have; so it is sent along.
        """
        if not self._asks(database) or database.type == "mariadb":
            return None
        return self._from_postgres(
            database, lambda server: server.query_there(database, query, zone)
        )

    def knows(self, database: Database | None) -> bool:
        """Whether a database is one that the cluster can ask."""
        return isinstance(database, Server)

    def _asks(self, database: Database) -> TypeGuard[Server]:
        """Whether the cluster can ask a database; `NotThereError` where it would find another."""
        if not isinstance(database, Server):
            return False
        # This machine's own name for itself would lead each worker to itself.
        if database.host in _HERE and self.cluster.host not in _HERE:
            raise NotThereError(
                tr(
                    "{label} is called by a name that means another machine for the cluster.",
                    label=database.label,
                ),
                tr("Name the server by its own address."),
            )
        return True

    def _from_postgres(
        self, database: Server, described: Callable[[Session], LaneThere | None]
    ) -> LaneThere | None:
        from keen_trellis.places.postgres.postgres_session import PostgresSession

        with PostgresSession(database, self._secrets) as server:
            lane = described(server)
        if lane is None:
            return None
        return self._view_of(database, over_jdbc.from_postgres(database, lane))

    def _view_of(self, database: Server, asked: OverJdbc) -> LaneThere:
        """Return a lane of a server, as a view that the cluster fills by asking the server."""
        name = f"~jdbc {len(self._views)}"
        options = {
            "url": asked.url,
            "query": asked.query,
            "user": database.user,
            "password": self._secrets.password(database),
            "driver": over_jdbc.DRIVERS[database.type][0],
            "fetchsize": "20000",
        }

        def view() -> object:
            frame = self._spark.read.format("jdbc").options(**options).load()
            frame.createOrReplaceTempView(_quoted(name))
            return frame

        # Held here: the server drops what a client has made once no frame of it is left.
        self._views[name] = self.doing(view, quiet, tr("Looking at {where}", where=asked.where))
        statement = self.dialect.text(select([star()], table(name)), pretty=False)
        return LaneThere(asked.where, self.dialect.name, statement, asked.columns, asked.left_out)

    def _is_seen(self, path: Path) -> bool:
        folders = [Path(one).resolve() for one in self.cluster.sees]
        return any(path.resolve().is_relative_to(folder) for folder in folders)

    def writes(self, database: Database | None, path: Path | None) -> bool:
        """Whether Parquet files are to be written where the cluster sees them."""
        return path is not None and path.suffix.lower() == ".parquet" and self._is_seen(path)

    def write_file(
        self,
        program: Program,
        rows: Relation,
        path: Path,
        require_whole: Callable[[], object],
        report: Report = quiet,
    ) -> None:
        """Write the rows as a folder of Parquet files, which takes the place of what is there.

        It is written beside, and renamed once it is whole.

        Raises
        ------
        DeliveryError
            What was written cannot take the place of what is there.
        """
        self.ready(program, [rows.name], report)
        values = [called(column(held.id), held.name) for held in rows.columns]
        whole = program.whole(select(values, table(rows.name)), [rows.name])
        beside = path.with_name(f".{path.name}.{uuid.uuid4().hex}")
        gone = path.with_name(f".{path.name}.{uuid.uuid4().hex}")
        statement = self.dialect.text(whole, pretty=False)

        def write() -> None:
            self._spark.sql(statement).write.parquet(str(beside))

        try:
            self.doing(write, report, tr("Writing {name}", name=path.name))
            require_whole()
            # Two renames, between which nothing is there: a folder cannot take the place of one
            # that has files. What was there is put aside, and goes only after the new one stands.
            if path.exists():
                path.rename(gone)
            beside.rename(path)
        except OSError as error:
            raise DeliveryError(
                tr("{path} cannot be put in its place: {reason}.", path=path, reason=reason(error)),
                tr("See that this machine may write where the cluster does."),
            ) from error
        finally:
            for left in (beside, gone):
                if left.is_dir():
                    shutil.rmtree(left, ignore_errors=True)
                else:
                    left.unlink(missing_ok=True)

    def fetch(self, query: Sql, columns: Sequence[tuple[str, Kind]]) -> dict[str, Column]:
        """Return the columns of a query, in their kinds."""
        # Arrow all the way: the client's own rows would be Python values of one row after the
        # other.
        found = self._spark.sql(self.dialect.text(query, pretty=False)).toArrow()
        return {name: fetched(found.column(name), kind, name) for name, kind in columns}

    def send(self, name: str, columns: dict[str, Column]) -> None:
        """Make a temporary view of rows that are sent."""
        from pyspark.sql.connect import functions as sf

        arrow = pa.table({one: sent(held, one) for one, held in columns.items()})
        if not len(arrow):  # of no rows the client cannot tell their types
            nulls = ", ".join(
                f"CAST(NULL AS {self.dialect.types[held.kind]}) AS {_quoted(one)}"
                for one, held in columns.items()
            )
            empty = self._spark.sql(f"SELECT {nulls} WHERE FALSE")
            empty.createOrReplaceTempView(_quoted(name))
            return
        frame = self._spark.createDataFrame(arrow)
        made = frame.select(
            *(
                sf.col(_quoted(one)).cast(self.dialect.types[held.kind]).alias(one)
                for one, held in columns.items()
            )
        )
        made.createOrReplaceTempView(_quoted(name))
        self._views[name] = frame  # what was sent stays there as long as somebody holds it

    def work_there(self, query: Sql, one: Mapped, report: Report) -> str:
        """Have the cluster's own Python work out a table of distinct values, as a view.

        It is worked out anew for each question that takes it.
        """
        from keen_trellis.places.spark.on_workers import OnWorkers

        why_not = self._own_code(report)
        if why_not:
            return why_not
        work = OnWorkers.of(one)
        shape = ", ".join(f"{_quoted(id_)} {SPARK.types[kind]}" for id_, kind in work.columns)

        def view() -> object:
            rows = self._spark.sql(self.dialect.text(query, pretty=False))
            made = rows.mapInArrow(work, shape)
            made.createOrReplaceTempView(_quoted(one.name))
            return made

        self._views[one.name] = self.doing(
            view, report, tr("Having {says} worked out there", says=one.says)
        )
        return ""

    def _own_code(self, report: Report) -> str:
        """Return why the cluster's Python cannot run our code as it runs here; empty where it can.

        This package is sent to it; what versions there are it is asked once.
        """
        from keen_trellis.places.spark.on_workers import Versions, packed

        if self._why_not_there is None:

            def ask() -> pa.Table:
                with packed() as path:
                    self._spark.addArtifacts(str(path), pyfile=True)
                one = self._spark.range(1)
                return one.mapInArrow(Versions(), Versions.SHAPE).toArrow()

            try:
                found = self.doing(ask, report, tr("Looking at the cluster's Python"))
            except SourceError as error:
                self._why_not_there = error.happened
            else:
                self._why_not_there = Versions.differ(found["versions"].to_pylist()[0])
        return self._why_not_there

    def stop(self) -> None:
        """Cancel what the cluster is doing for this run."""
        with contextlib.suppress(Exception):
            self._spark.interruptTag(self._tag)

    def close(self) -> None:
        """Leave; the views go with the session."""
        self._views.clear()
        with contextlib.suppress(Exception):
            self._spark.stop()

    def explained(self, error: Exception) -> Exception:
        """Return an error of the client as a sentence."""
        if isinstance(error, UserError):
            return error
        # A worker's Python sends the text of its traceback alone, inside an error of the cluster.
        ours = _OURS.search(str(error))  # said by our own code on a worker
        if ours is not None:
            return NotThereError(ours[1])
        words = _short(str(error))
        name = type(error).__name__
        if "UNAVAILABLE" in words or "Connection refused" in words or name == "RetriesExceeded":
            return self._gone()
        for driver, sort, file in over_jdbc.DRIVERS.values():
            if driver in words and "ClassNotFound" in words:
                return NotThereError(
                    tr("{label} has no driver for {sort}.", label=self.label, sort=sort),
                    tr(
                        "Put its JDBC driver ({file}) on the cluster, or run it on this machine.",
                        file=file,
                    ),
                )
        if "_OVERFLOW" in words or "OUT_OF_RANGE" in words or "ARITHMETIC" in words:
            return NotThereError(
                tr(
                    "A number does not fit into a decimal of {exact_before}+{exact_behind} digits, "
                    "which is what {label} has: {words}",
                    exact_before=EXACT_BEFORE,
                    exact_behind=EXACT_BEHIND,
                    label=self.label,
                    words=words,
                ),
                tr("Run the part on this machine, or round the numbers before."),
            )
        if type(error).__module__.startswith(("pyspark", "grpc")):
            return SourceError(
                tr("{label} says: {words}", label=self.label, words=words),
                tr("Nothing is half written there."),
            )
        return error


# what Python writes of an error of ours, whichever it is and wherever its class stands
_OURS = re.compile(r"^keen_trellis\.[\w.]+Error: (.*)$", re.MULTILINE)

_KINDS = {
    "string": Kind.TEXT,
    **dict.fromkeys(("tinyint", "smallint", "int", "bigint"), Kind.INTEGER),
    **dict.fromkeys(("float", "double"), Kind.NUMBER),
    "boolean": Kind.BOOLEAN,
    "date": Kind.DATE,
    **dict.fromkeys(("timestamp", "timestamp_ntz"), Kind.DATE_TIME),
}


def _stored(name: str, stored: str, where: str) -> Stored | None:
    """Return a column of files as this machine reads it; None for bytes, which it does not."""
    value: Sql = column(name, "t")
    if stored == "binary":
        return None
    if stored.startswith("decimal("):
        digits, behind = (int(part) for part in stored[8:-1].split(","))
        if behind > EXACT_BEHIND or digits - behind > EXACT_BEFORE:
            raise NotThereError(
                tr(
                    "“{name}” of {where} has {digits} digits, {behind} of them behind the mark; in "
                    "Spark {exact_before}+{exact_behind} are the most.",
                    name=name,
                    where=where,
                    digits=digits,
                    behind=behind,
                    exact_before=EXACT_BEFORE,
                    exact_behind=EXACT_BEHIND,
                ),
                tr("Leave the column out of the files, or run the trellis on this machine."),
            )
        return Stored(name, Kind.EXACT, SPARK.cast(value, Kind.EXACT))
    kind = _KINDS.get(stored)
    if kind is None:
        raise NotThereError(
            tr(
                "“{name}” of {where} is {stored}, which no kind here is.",
                name=name,
                where=where,
                stored=stored,
            ),
            tr("Leave the column out of the files."),
        )
    if kind is Kind.NUMBER:
        value = SPARK.cast(value, kind)
        # NaN is a value there and greater than all others; here it is no amount.
        nan = exp.Anonymous(this="ISNAN", expressions=[value.copy()])
        return Stored(name, kind, choose(nan, SPARK.literal(None, kind), value))
    return Stored(name, kind, SPARK.cast(value, kind))


def parquet_lane(path: str) -> LaneThere:
    """Return how a cluster has the rows of a Parquet file, by what the file itself says of it.

    Raises
    ------
    SourceError
        It cannot be read here.
    NotThereError
        A column is of a type that has no equal here.
    """
    import pyarrow.parquet as pq

    try:
        schema = pq.read_schema(path)
    except (OSError, pa.ArrowInvalid) as error:
        raise SourceError(
            tr("{path} cannot be read as Parquet.", path=path), tr("See that it is there.")
        ) from error
    found = []
    for field in schema:
        if pa.types.is_decimal(field.type):
            stored = f"decimal({field.type.precision},{field.type.scale})"
        else:
            stored = _ARROW.get(str(field.type).split("[")[0], str(field.type))
        one = _stored(field.name, stored, path)
        if one is not None:
            found.append(one)
    return LaneThere(path, SPARK.name, _parquet_statement(path), tuple(found))


def _parquet_statement(path: str) -> str:
    named = exp.Table(this=identifier(path), db=exp.to_identifier("parquet"))
    return SPARK.text(select([star()], named), pretty=False)


_ARROW = {
    **dict.fromkeys(("int8", "int16", "int32", "int64", "uint8", "uint16", "uint32"), "bigint"),
    "large_string": "string",
    "bool": "boolean",
    "date32": "date",
    "large_binary": "binary",
}


def _quoted(name: str) -> str:
    return "`" + name.replace("`", "``") + "`"


def _short(words: str) -> str:
    """Return the first of what a cluster says, without a trace of its own code."""
    first = re.split(r"\s*(?:SQLSTATE: |JVM stacktrace|== SQL|\n\s*at )", words)[0]
    return f"{' '.join(first.split())[:300].rstrip('.')}."
