"""A database as a document names it: a file, or a server with an account."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from keen_trellis.servers.server import Server, SqliteFile

DatabaseField = Annotated[SqliteFile | Server, Field(discriminator="type")]
