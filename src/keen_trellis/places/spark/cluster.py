"""The address of a Spark cluster."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from keen_trellis.base.language import tr
from keen_trellis.servers.server import require_port


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

    def __post_init__(self) -> None:
        require_port(self.port)

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
        return tr("Spark on {host}", host=self.host)

    @property
    def contact(self) -> str:
        """Whom one contacts there, in words."""
        return tr(
            "the Spark cluster {host}, port {usual_port}",
            host=self.host,
            usual_port=self.usual_port,
        )
