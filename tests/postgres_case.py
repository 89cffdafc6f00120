"""A test that asks the PostgreSQL of this machine; elsewhere it is skipped."""

import os
import unittest

import psycopg


class PostgresTestCase(unittest.TestCase):
    server: psycopg.Connection

    def setUp(self) -> None:
        try:
            self.server = psycopg.connect(
                "host=127.0.0.1 dbname=test user=postgres", autocommit=True, connect_timeout=3
            )
        except psycopg.OperationalError as error:
            if os.environ.get("CI"):
                raise
            self.skipTest(f"no PostgreSQL at 127.0.0.1:5432: {error}")
        self.addCleanup(self.server.close)
