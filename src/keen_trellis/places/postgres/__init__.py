"""A server of PostgreSQL as the place where a trellis runs."""

from keen_trellis.places.place_kind import PlaceKind
from keen_trellis.servers.server import Server

POSTGRES_PLACE = PlaceKind(
    type="postgresql",
    words="PostgreSQL",
    dialect="postgres",
    address=Server,
    session="postgres.postgres_session:PostgresSession",
)
