"""Connections to databases that can only read, can be stopped, and fail in plain sentences."""

from __future__ import annotations

import logging
import re
import shutil
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, wait
from contextlib import closing, contextmanager
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any, TypeVar
from urllib.parse import quote

from keen_trellis.base.errors import ConnectionLostError, PasswordError, SourceError
from keen_trellis.base.file_stamps import FileStamp, WrittenMeanwhileError, unwritten
from keen_trellis.base.language import marked, tr
from keen_trellis.base.logs import timed
from keen_trellis.base.ordinary_files import existing_file
from keen_trellis.base.progress import Cancelled, Report
from keen_trellis.base.words import counted
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Database, Server, SqliteFile

if TYPE_CHECKING:
    import sqlalchemy as sa  # takes a while to load; only those who read a server wait for it

_log = logging.getLogger(__name__)

_T = TypeVar("_T")
BATCH = 20_000
"""How many rows are fetched at a time."""

_CONNECT_S, _GRACE_S, _ANSWER_S = 10, 2, 300
"""How long a server may take to let one in, and to say anything after that."""
_POLL_S, _LEAVES_S, _TELLS_S = 0.1, 0.3, 2.0
_LOOKED_AFTER_S = 5
"""How often PostgreSQL looks, while it works, whether whoever asked is still there."""
_CALLED = {"postgresql": "PostgreSQL", "mariadb": "MariaDB"}
_HERE = ("localhost", "127.0.0.1", "::1")


class _SilentError(Exception):
    """A server has said nothing for too long."""


class Reader:
    """One connection for one read.

    The work runs on a thread of its own, so that a server which thinks for long can be told to
    stop: whoever waits reports meanwhile how many rows have come.
    """

    def __init__(self, database: Database, secrets: Secrets, timeout_s: float | None) -> None:
        self._database, self._secrets, self._timeout_s = database, secrets, timeout_s
        self._engine: sa.Engine | None = None  # a file needs none
        if isinstance(database, Server):
            self._engine = engine(database, secrets, timeout_s)
        self._raw: Any = None
        self._file_is_locked = False
        self._stopped = threading.Event()
        self._heard = time.monotonic()
        self.rows = 0
        self.expected = 0

    def run(self, work: Callable[[Any, Reader], _T], report: Report, doing: str) -> _T:
        """Return what `work` gives, done in a transaction that may only read.

        `work` is given a connection of `sqlite3` for a file, one of SQLAlchemy for a server.

        Raises
        ------
        SourceError
            The server refuses, the connection is lost, or the time is up.
        Cancelled
            Raised by `report` once the user has asked to stop; the server is told to stop, too.
        """

        def connected() -> _T:
            self.rows = 0
            with timed(_log, f"{doing}, {self._database.label}") as told:
                with self._connected() as connection:
                    found = work(connection, self)
                told.rows = self.rows
            return found

        # A server answers within one transaction, a file may change below its reader: it is stamped
        # before it is opened and after it is closed. The stamps tell nothing where a lock held the
        # file, since writers may come and go before it is taken and after it is given back.
        def read() -> _T:
            if isinstance(self._database, SqliteFile):
                path = Path(self._database.path)
                fails_with = (SourceError, sqlite3.Error, OSError)
                return unwritten(partial(_stamps, path), connected, fails_with, self._is_locked)
            return connected()

        future = _begun(read)
        try:
            while True:
                share = self.rows / self.expected if self.expected else 0.0
                report(
                    min(share, 1.0), f"{doing}: {counted(self.rows, 'row')}" if self.rows else doing
                )
                if _ended(future):
                    return future.result()
                self._refuse_silence()
        except (Cancelled, _SilentError) as given_up:
            self._stopped.set()
            _begun(lambda: self._stop(future))  # whether a server hears it or not, nobody waits
            wait([future], timeout=_LEAVES_S)
            if isinstance(given_up, Cancelled):
                raise
            raise self._silent() from None
        except self._told_by_driver() as error:
            raise explained(error, self._database, self.rows) from error
        finally:
            if self._engine is not None:
                self._engine.dispose()

    def _refuse_silence(self) -> None:
        """Give up on a server that says nothing, at whatever point it fell silent."""
        if isinstance(self._database, SqliteFile):
            return
        if time.monotonic() - self._heard > self._patience_s:
            raise _SilentError

    @property
    def _patience_s(self) -> float:
        """For how long nothing need be heard now."""
        if self._raw is None:
            return _CONNECT_S + _GRACE_S
        return self._timeout_s + _GRACE_S if self._timeout_s else _ANSWER_S

    def _silent(self) -> SourceError:
        assert isinstance(self._database, Server)
        if self._raw is None:
            return SourceError(
                tr(
                    "{host}:{usual_port} does not answer in "
                    "{patience_s:,.0f} seconds as a {called} server does.",
                    host=self._database.host,
                    usual_port=self._database.usual_port,
                    patience_s=self._patience_s,
                    called=_CALLED[self._database.type],
                ),
                tr("See that the server runs, and that host, port and sort of database are right."),
            )
        return SourceError(
            tr(
                "{label} has said nothing for {patience_s:,.0f} seconds, after {rows}.",
                label=self._database.label,
                patience_s=self._patience_s,
                rows=counted(self.rows, "row"),
            ),
            tr("Nothing of yours is lost: read it again once it answers, or ask for fewer rows."),
        )

    def _told_by_driver(self) -> tuple[type[Exception], ...]:
        """Return the errors that are about the database; in a COPY the driver's own come bare."""
        if self._engine is None:
            return (sqlite3.Error, ValueError, OSError)
        import sqlalchemy as sa

        known: tuple[type[Exception], ...]
        known = (sa.exc.SQLAlchemyError, ValueError)
        if self._engine.dialect.name == "postgresql":
            import psycopg

            known = (*known, psycopg.Error)
        return known

    def count(self, rows: int) -> None:
        """Note that rows have come; raises `Cancelled` where the read is to stop."""
        self._heard = time.monotonic()
        self.rows += rows
        self._go_on()

    def _go_on(self) -> None:
        if self._stopped.is_set():
            raise Cancelled

    @contextmanager
    def _connected(self) -> Iterator[sqlite3.Connection | sa.Connection]:
        if isinstance(self._database, SqliteFile):
            with _opened(self._database, self._timeout_s) as (file, self._file_is_locked):
                self._raw = file
                yield file
            return
        assert self._engine is not None
        with self._engine.connect() as connection:
            self._raw = connection.connection.driver_connection
            self._heard = time.monotonic()
            self._go_on()  # stopped while it connected: nothing is asked any more
            if connection.dialect.name != "mysql":
                yield connection
                return
            connection.exec_driver_sql("START TRANSACTION READ ONLY")
            try:
                yield connection
            finally:  # else the driver would read on when it is let go of, whoever is there
                left = getattr(self._raw, "_result", None)
                if left is not None:
                    left.unbuffered_active = False

    def _is_locked(self) -> bool:
        return self._file_is_locked

    def keep_json_as_text(self) -> None:
        """Have what a query gives as JSON come as it is written: decoded, its null is a blank.

        Not before tables have been described, which the library does by JSON of its own.
        """
        if self._engine is not None and self._engine.dialect.name == "postgresql":
            from psycopg.types.string import TextLoader

            for name in ("json", "jsonb"):
                self._raw.adapters.register_loader(name, TextLoader)

    def _stop(self, reading: Future[Any]) -> None:
        """Tell the server to give up what it is doing; if that fails, the read ends by itself.

        It is told until the read has ended: a question that is only on its way to the server when
        it is told would be answered as if nothing had been said.
        """
        try:
            pause_s = _POLL_S
            while not wait([reading], timeout=pause_s).done:
                if self._raw is not None:
                    self._tell_to_stop()
                pause_s = min(2 * pause_s, _TELLS_S)
        except Exception:  # noqa: BLE001  a border: a dead connection cannot be told anything
            pass

    def _tell_to_stop(self) -> None:
        if isinstance(self._database, SqliteFile):
            self._raw.interrupt()
        elif self._database.type == "postgresql":
            self._raw.cancel_safe(timeout=_TELLS_S)  # a plain one holds up everything
        else:
            with engine(self._database, self._secrets, None).connect() as other:
                other.exec_driver_sql(f"KILL QUERY {int(self._raw.thread_id())}")


def explained(error: Exception, database: Database, rows: int = 0) -> SourceError:
    """Return a driver's error as a sentence, without anything that was sent to the server."""
    cause = getattr(error, "orig", None) or error
    words = " ".join(str(cause.args[-1] if cause.args else cause).split())
    words = words.rpartition("FATAL: ")[2].strip()  # before it stands how it was tried to connect
    # PostgreSQL has SQLSTATEs, MariaDB numbers of its own; no number of the one is a code of the
    # other.
    codes = {str(getattr(cause, "sqlstate", "")), str(next(iter(cause.args), ""))}
    if not getattr(cause, "sqlstate", None):
        codes |= {code for sign, code in _TOLD_IN_WORDS if sign in words}
    where = database.label
    if isinstance(database, Server):
        if isinstance(cause, _InClearError) or "requested a cleartext password" in words:
            return SourceError(
                tr(
                    "{host} asks for the password in clear, over a connection that may not "
                    "be encrypted: it was not sent.",
                    host=database.host,
                ),
                tr("Have the connection always encrypted, or ask whoever keeps the server."),
            )
        # Not in the words of the server: some of them repeat what was sent.
        if codes & {"28P01", "28000", "1045"}:
            return PasswordError(
                tr(
                    "{account} is not let in: the server refuses account or password.",
                    account=database.account,
                ),
                tr("Enter the right password, or choose another account."),
                database.account,
            )
        if codes & _LOST or getattr(error, "connection_invalidated", False):
            return ConnectionLostError(
                tr(
                    "The connection to {where} was lost after {rows}: {short}",
                    where=where,
                    rows=counted(rows, "row"),
                    short=_short(words),
                ),
                tr("Nothing of yours is lost: read it again once the server can be reached."),
            )
    if isinstance(database, SqliteFile) and words.endswith("interrupted"):  # by its own clock
        codes = {_OUT_OF_TIME}
    for meant, happened, remedy in _SENTENCES:
        if codes & meant:
            return SourceError(tr(happened, where=where, words=_short(words)), tr(remedy))
    if isinstance(database, SqliteFile):
        if found := re.search("Could not decode to UTF-8 column '(.*)' with text", words):
            return SourceError(
                tr(
                    "“{found_2}” of {path} holds a text whose letters are broken: it is no UTF-8.",
                    found_2=found[1],
                    path=database.path,
                ),
                tr("Leave the column out, or mend the text there."),
            )
        return SourceError(
            tr(
                "{path} cannot be read as a database: {short}",
                path=database.path,
                short=_short(words),
            ),
            tr("See that it is an SQLite file and that no other program holds it locked."),
        )
    if codes & {"2003", "2002"} or "connect" in words.lower():
        return SourceError(
            tr(
                "{host}:{usual_port} does not answer: {short}",
                host=database.host,
                usual_port=database.usual_port,
                short=_short(words),
            ),
            tr("See that the server runs, and that host and port are right."),
        )
    return SourceError(
        tr("{where} says: {short}", where=where, short=_short(words)),
        tr("Mend it there or in what is asked for."),
    )


_TELL_OF_THEMSELVES = ("sqlalchemy", "psycopg", "pymysql")
_LOST, _OUT_OF_TIME = {"2006", "2013", "57P01"}, "57014"
_SENTENCES = (
    (
        {"3D000", "1049"},
        marked("There is no such database: {words}"),
        marked("Choose another one, or see how it is spelled."),
    ),
    (
        {"42501", "1142", "1044"},
        marked("The account may not read this in {where}: {words}"),
        marked("Ask for the right to read it, or choose another table."),
    ),
    (
        {"42P01", "1146"},
        marked("The table is not there in {where} any more: {words}"),
        marked("Choose the table that holds the rows now."),
    ),
    (
        {"42703", "1054"},
        marked("A column is not there in {where} any more: {words}"),
        marked("Choose the columns anew."),
    ),
    (
        {"25006", "0A000", "1792", "1290"},
        marked("The query would write to {where}, and sources are never written to: {words}"),
        marked("Take out what writes."),
    ),
    (
        {_OUT_OF_TIME, "1969", "3024"},
        marked("{where} was not done in the time allowed: {words}"),
        marked("Allow more time, or ask for fewer rows."),
    ),
)


_TOLD_IN_WORDS = (  # errors that a driver gives without a code
    ("closed the connection", "57P01"),
    ("consuming input failed", "57P01"),
    ("password authentication failed", "28P01"),
    ("no password supplied", "28P01"),
    ("no pg_hba.conf entry", "28000"),
    ('" does not exist', "3D000"),
)


def _short(words: str) -> str:
    """Return a driver's words as the end of a sentence."""
    words = words.split("LINE 1:")[0].split(" CONTEXT:")[0].strip().rstrip(".")
    return f"{words[:240]}."


def _begun(work: Callable[[], _T]) -> Future[_T]:
    """Do some work on a thread that nobody has to wait for, not even the end of the program."""
    future: Future[_T] = Future()

    def do() -> None:
        try:
            future.set_result(work())
        except BaseException as error:  # noqa: BLE001  the border of a thread; nothing is dropped
            future.set_exception(error)

    threading.Thread(target=do, daemon=True, name="keen-trellis reads").start()
    return future


def _ended(future: Future[Any]) -> bool:
    return bool(wait([future], timeout=_POLL_S).done)


@contextmanager
def _opened(file: SqliteFile, timeout_s: float | None) -> Iterator[tuple[sqlite3.Connection, bool]]:
    """Open a file so that nothing is written to it or beside it, and questions end in time.

    Whether a lock keeps it as it is while it is open is given as well.
    """
    path = Path(file.path)
    existing_file(path)
    until = None if timeout_s is None else time.monotonic() + timeout_s

    def out_of_time() -> int:
        return int(until is not None and time.monotonic() > until)

    with _as_it_stands(path.resolve()) as (place, how):
        address = f"file:{quote(str(place))}?{how}"
        opened = sqlite3.connect(address, uri=True, check_same_thread=False, isolation_level=None)
        with closing(opened) as connection:
            connection.set_progress_handler(out_of_time, 100_000)
            connection.execute("BEGIN")  # all that is asked is asked of one state
            connection.execute("SELECT 1 FROM sqlite_master LIMIT 1").fetchall()  # locks it
            connection.set_authorizer(_only_reads)
            held = FileStamp.of(path)
            yield connection, how == _LOCKED
            if how == _LOCKED and not _is_in_wal(path) and FileStamp.of(path) != held:
                raise WrittenMeanwhileError([str(path)])  # by what heeds no lock


_READING = {
    *(sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION),
    sqlite3.SQLITE_RECURSIVE,
    # a virtual table, also a search index or json_each, prepares these when it is first read; they
    # are carried out by nobody: the file is open for reading only, or is a copy
    *(sqlite3.SQLITE_INSERT, sqlite3.SQLITE_UPDATE, sqlite3.SQLITE_DELETE),
}
_LOOKING = {
    *("table_info", "table_xinfo", "table_list", "index_list", "index_info", "index_xinfo"),
    "foreign_key_list",
}
"""Pragmas that take the name of a table or index, and tell of it."""
_TELLING = {"data_version", "page_size"}
"""Pragmas that tell a number, and would set it if they were given one."""
_LOADING = ("load_extension", "fts3_tokenizer")


def _only_reads(action: int, first: str | None, second: str | None, *_: object) -> int:
    """Tell SQLite whether a statement may do something: only what reads."""
    if action == sqlite3.SQLITE_PRAGMA:
        tells = first in _LOOKING or (first in _TELLING and second is None)
        return sqlite3.SQLITE_OK if tells else sqlite3.SQLITE_DENY
    if action not in _READING or (action == sqlite3.SQLITE_FUNCTION and second in _LOADING):
        return sqlite3.SQLITE_DENY
    return sqlite3.SQLITE_OK


_LOCKED = "mode=ro"


@contextmanager
def _as_it_stands(path: Path) -> Iterator[tuple[Path, str]]:
    """Give the file to open and how, so that SQLite makes no file of its own beside it.

    A database in WAL mode has its latest rows in a second file, and SQLite makes a third to read
    them, unless a writer has made it: then all are read as any reader would, and a lock keeps what
    is read as it is. Otherwise nothing locks the file, so that whoever reads it so must see to it
    that nobody wrote meanwhile, as `unwritten` does: without a second file the first holds
    everything, with one that a crash has left copies of both are read.
    """
    log, _ = _beside_of(path)
    if _is_locked_by_reading(path):
        yield path, _LOCKED
    elif not (log.exists() and log.stat().st_size > 0):
        yield path, "mode=ro&immutable=1"
    else:
        with TemporaryDirectory(prefix="keen-trellis-") as folder:
            for one in (path, log):
                shutil.copyfile(one, Path(folder) / one.name)
            yield Path(folder) / path.name, "mode=rw"


def _beside_of(path: Path) -> tuple[Path, Path]:
    """Return where the log of a database in WAL mode lies, and what its readers share."""
    log, shared = (path.with_name(path.name + ending) for ending in ("-wal", "-shm"))
    return log, shared


def _is_in_wal(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(20)[18:20] == b"\x02\x02"


def _is_locked_by_reading(path: Path) -> bool:
    """Whether SQLite can lock a file against writers without making another one beside it."""
    log, shared = _beside_of(path)
    return not _is_in_wal(path) or (log.exists() and log.stat().st_size > 0 and shared.exists())


def _stamps(path: Path) -> tuple[FileStamp, ...]:
    """Return the stamps of a database and of what its writers add to before they write to it."""
    log, _ = _beside_of(path)
    return FileStamp.of(path), FileStamp.of(log)


def engine(
    database: Server, secrets: Secrets, timeout_s: float | None, writes: bool = False
) -> sa.Engine:
    """Return what connects to a server: in transactions that can only read, unless it `writes`."""
    import sqlalchemy as sa

    for name in _TELL_OF_THEMSELVES:  # they tell what was sent where nobody else is told of it
        logging.getLogger(name).addHandler(logging.NullHandler())
    password = secrets.password(database)
    is_postgres = database.type == "postgresql"
    url = sa.URL.create(
        "postgresql+psycopg" if is_postgres else "mysql+pymysql",
        database.user,
        password or None,
        database.host,
        database.usual_port,
        database.database,
    )
    arguments = _postgres(database, writes) if is_postgres else _mariadb(database, timeout_s)
    made = sa.create_engine(
        url, poolclass=sa.pool.NullPool, connect_args=arguments, hide_parameters=True
    )
    if is_postgres:
        sa.event.listen(made, "connect", lambda raw, _: _prepare_postgres(raw, timeout_s))
    else:
        sa.event.listen(made, "connect", lambda raw, _: _prepare_mariadb(raw, timeout_s, writes))
    return made


def _postgres(server: Server, writes: bool) -> dict[str, Any]:
    modes = {
        "where offered": "prefer",
        "always": "require",
        "always, server verified": "verify-full",
        "never": "disable",
    }
    settings = (
        f"default_transaction_read_only={'off' if writes else 'on'}",
        "timezone=UTC",
        *_AS_WE_READ,
    )
    made: dict[str, Any] = {
        "connect_timeout": _CONNECT_S,
        "application_name": "keen-trellis",
        "options": " ".join(f"-c {setting}" for setting in settings),
        "sslmode": modes[server.tls],
    }
    if server.authority:
        made["sslrootcert"] = server.authority
    if _may_be_overheard(server):
        made["require_auth"] = "!password"  # never in clear, whatever a server asks for
    return made


_AS_WE_READ = (
    "client_encoding=UTF8",
    "datestyle=ISO",
    "intervalstyle=postgres",
    "extra_float_digits=3",
    "standard_conforming_strings=on",
)
"""How values are sent, whatever an account or a database has for a usual way: dates as ISO 8601
writes them, numbers with every digit."""


def _may_be_overheard(server: Server) -> bool:
    """Return whether what is sent may go unencrypted to another machine."""
    is_encrypted = server.tls.startswith("always")
    return not is_encrypted and server.host not in _HERE and not server.host.startswith("/")


class _InClearError(ValueError):
    """A server wants a password in clear where it could be overheard."""


class _NeverInClear:
    """Takes the place of what would send a password as it is."""

    def __init__(self, connection: object) -> None:
        pass

    def authenticate(self, packet: object) -> None:
        raise _InClearError(tr("it asks for the password in clear"))


def _mariadb(server: Server, timeout_s: float | None) -> dict[str, Any]:
    answer_s = (timeout_s or _ANSWER_S) + 2 * _GRACE_S  # whoever waits gives up before
    made: dict[str, Any] = {
        "connect_timeout": _CONNECT_S,
        "read_timeout": answer_s,
        "write_timeout": answer_s,
        "charset": "utf8mb4",
    }
    if _may_be_overheard(server):
        ways = ("mysql_clear_password", "dialog", "mysql_old_password")
        made["auth_plugin_map"] = dict.fromkeys(ways, _NeverInClear)
    if server.tls == "never":
        made["ssl_disabled"] = True
    elif server.tls != "where offered":
        import ssl

        context = ssl.create_default_context(cafile=server.authority)
        if server.tls == "always":
            context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        made["ssl"] = context
    return made


def _prepare_postgres(raw: Any, timeout_s: float | None) -> None:
    """Set what may be set by its present value alone, or is not known to every version."""
    with raw.cursor() as cursor:
        # whoever asked may be killed: the server sees to it, and does not work on for nobody
        cursor.execute(
            "SELECT set_config(name, %s, false) FROM pg_catalog.pg_settings "
            "WHERE name = 'client_connection_check_interval'",
            (f"{_LOOKED_AFTER_S}s",),
        )
        # a shorter limit of the account stays
        if timeout_s:
            limit_ms = int(timeout_s * 1000)
            cursor.execute(
                "SELECT set_config(name, %s, false) FROM pg_catalog.pg_settings "
                "WHERE name = 'statement_timeout' AND setting::bigint NOT BETWEEN 1 AND %s",
                (str(limit_ms), limit_ms),
            )
    raw.commit()


def _prepare_mariadb(raw: Any, timeout_s: float | None, writes: bool) -> None:
    with raw.cursor() as cursor:
        if writes:  # whatever the server is used to, a value that does not fit is refused
            cursor.execute("SET sql_mode = 'STRICT_ALL_TABLES,NO_ZERO_IN_DATE,NO_ZERO_DATE'")
        else:
            cursor.execute("SET SESSION TRANSACTION READ ONLY")
        cursor.execute("SET time_zone = '+00:00'")
        # a limit that an account may have would leave rows out without a word
        cursor.execute(f"SET sql_select_limit = {2**64 - 1}")
        if timeout_s:
            if "MariaDB" in raw.get_server_info():
                cursor.execute(f"SET SESSION max_statement_time = {float(timeout_s)}")
            else:
                cursor.execute(f"SET SESSION max_execution_time = {int(timeout_s * 1000)}")
