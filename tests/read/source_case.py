"""What tests of sources share: a folder to put files into, and databases to fill."""

from __future__ import annotations

import os
import tempfile
import unittest
import uuid
from pathlib import Path
from typing import Any

import psycopg
import pymysql

from keen_trellis.base.errors import SourceError
from keen_trellis.layouts.source_layouts import TextLayout
from keen_trellis.read import Reading, read_delimited
from keen_trellis.servers.secrets import Secrets
from keen_trellis.servers.server import Server

POSTGRES = Server("postgresql", "127.0.0.1", "test", "postgres")
MARIADB = Server("mariadb", "127.0.0.1", "test", "root")


class SourceTestCase(unittest.TestCase):
    """Has a folder to put files into."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def text(self, content: str | bytes, name: str = "table.csv") -> Path:
        path = self.folder / name
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        return path

    def read(
        self, content: str | bytes, layout: TextLayout | None = None, **options: Any
    ) -> Reading:
        return read_delimited(self.text(content), layout or TextLayout(), **options)

    def refused(self, *words: str) -> unittest.case._AssertRaisesContext[SourceError]:
        return self.assertRaisesRegex(SourceError, "(?s)" + ".*".join(words))


class ServerTestCase(SourceTestCase):
    """Has a schema of its own in PostgreSQL and tables of its own in MariaDB."""

    def setUp(self) -> None:
        super().setUp()
        self.name = f"keen_{uuid.uuid4().hex[:12]}"
        self.secrets = Secrets()
        self.secrets.give(POSTGRES, "")
        self.secrets.give(MARIADB, "")

    def postgres(self) -> psycopg.Connection[Any]:
        try:
            connection = psycopg.connect(
                "host=127.0.0.1 dbname=test user=postgres", autocommit=True, connect_timeout=3
            )
        except psycopg.OperationalError as error:
            self.without("PostgreSQL at 127.0.0.1:5432", error)
        self.addCleanup(connection.close)
        connection.execute(f"create schema {self.name}")
        self.addCleanup(connection.execute, f"drop schema {self.name} cascade")
        return connection

    def mariadb(self) -> pymysql.cursors.Cursor:
        try:
            connection = pymysql.connect(
                host="127.0.0.1", user="root", database="test", autocommit=True, connect_timeout=3
            )
        except pymysql.OperationalError as error:
            self.without("MariaDB at 127.0.0.1:3306", error)
        self.addCleanup(connection.close)
        cursor = connection.cursor()
        self.addCleanup(cursor.execute, f"drop table if exists {self.name}")
        return cursor

    def without(self, server: str, error: Exception) -> None:
        if os.environ.get("CI"):
            raise error
        self.skipTest(f"no {server}: {error}")
