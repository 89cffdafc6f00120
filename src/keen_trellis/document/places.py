"""Places where a trellis can run beside this machine, as the document keeps them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Self

from pydantic import Field, model_validator

from keen_trellis.base.language import marked, tr
from keen_trellis.base.words import listed
from keen_trellis.document.items.item import Part
from keen_trellis.document.wants import Want, wants_of_path, wants_of_server
from keen_trellis.places.known import PLACES
from keen_trellis.places.spark.cluster import SparkCluster
from keen_trellis.servers.server import Server

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
        if self.at.type not in PLACES:
            sorts = listed([kind.words for kind in PLACES.values()])
            raise ValueError(
                tr("“{name}” is no place to run: there are {sorts}.", name=self.name, sorts=sorts)
            )
        return self

    def wants(self, folder: Path | None) -> Iterator[Want]:
        """Yield what a run there does that a stranger's document may not do unasked."""
        if isinstance(self.at, Server):
            yield from wants_of_server(self.at, folder)
            return
        key = f"contact {self.at.type} {self.at.host}:{self.at.usual_port}"
        yield Want(key, tr("contacts {contact}", contact=self.at.contact))
        for path in self.at.sees:
            yield from wants_of_path(path, folder, marked("has the cluster read"))
