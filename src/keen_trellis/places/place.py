"""Where a trellis can run: on this machine, on a server of PostgreSQL, on a Spark cluster."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from keen_trellis.read.server import Server

HERE = "this machine"
"""What the place is called where a trellis runs unless another one is chosen."""


@dataclass(frozen=True, slots=True)
class SparkCluster:
    """A Spark cluster with a Connect server.

    Attributes
    ----------
    host : str
    port : int or None
        None is the usual one.
    sees : tuple of str
        Folders that the cluster reads under the same paths as this machine.
    tls : bool
    """

    host: str
    port: int | None = None
    sees: tuple[str, ...] = ()
    tls: bool = False
    type: Literal["spark"] = "spark"

    @property
    def usual_port(self) -> int:
        """The port that is used."""
        return self.port or 15002

    @property
    def remote(self) -> str:
        """The address as the client takes it."""
        return f"sc://{self.host}:{self.usual_port}{'/;use_ssl=true' if self.tls else ''}"

    @property
    def label(self) -> str:
        """Its name in sentences."""
        return f"Spark on {self.host}"


Place = Server | SparkCluster
"""A place that is not this machine."""
