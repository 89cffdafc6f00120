"""A Spark cluster with a Connect server as the place where a trellis runs."""

from keen_trellis.base.language import tr
from keen_trellis.places.place_kind import AskedFor, PlaceKind
from keen_trellis.places.spark.cluster import SparkCluster

SPARK_PLACE = PlaceKind(
    type="spark",
    words=tr("Spark cluster"),
    dialect="spark",
    address=SparkCluster,
    session="spark.spark_session:SparkClusterSession",
    asks=(
        AskedFor("host", tr("Host"), tr("Host"), usual="localhost", is_needed=True),
        AskedFor("port", tr("Port"), tr("Port"), hint=tr("the usual one"), is_number=True),
        AskedFor(
            "sees",
            tr("It sees"),
            tr("Folders that it reads"),
            hint=tr("folders it reads under the same paths, with commas"),
            are_many=True,
        ),
    ),
    reads_files=True,
)
