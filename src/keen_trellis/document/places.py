"""Places where a trellis can run beside this machine, as the document keeps them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Self

from pydantic import Field, model_validator

from keen_trellis.document.items.base import Part
from keen_trellis.document.wants import Want, wants_of_path, wants_of_server
from keen_trellis.places.place import SparkCluster
from keen_trellis.read.server import Server

PlaceField = Annotated[Server | SparkCluster, Field(discriminator="type")]


class RunPlace(Part):
    """A place with the name that people call it by.

    Attributes
    ----------
    name : str
        Unique in the trellis.
    at : Server or SparkCluster
        A server is one of PostgreSQL; passwords are never in it, as with sources.
    """

    name: str = Field(min_length=1)
    at: PlaceField

    @model_validator(mode="after")
    def _can_be_run_at(self) -> Self:
        if self.at.type not in ("postgresql", "spark"):
            raise ValueError(
                f"“{self.name}” is no place to run: that is a PostgreSQL server, or a cluster."
            )
        return self

    def wants(self, folder: Path | None) -> Iterator[Want]:
        """Yield what a run there does that a stranger's document may not do unasked."""
        if isinstance(self.at, Server):
            yield from wants_of_server(self.at)
            return
        address = f"{self.at.host}, port {self.at.usual_port}"
        yield Want(
            f"contact spark {self.at.host}:{self.at.usual_port}",
            f"contacts the Spark cluster {address}",
        )
        for path in self.at.sees:
            yield from wants_of_path(path, folder, "has the cluster read")
