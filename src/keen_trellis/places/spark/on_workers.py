"""Our own code on a cluster's workers: what is sent to them, and what they run of it."""

from __future__ import annotations

import json
import platform
import tempfile
import unicodedata
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

import numpy as np
import pyarrow as pa

from keen_trellis.base.language import tr
from keen_trellis.compute.by_value import ByValue
from keen_trellis.data import Kind, Table
from keen_trellis.places.transfer_cells import fetched, marks, narrowest, sent, with_gaps

if TYPE_CHECKING:
    from keen_trellis.sql.relations import Mapped


@dataclass(frozen=True, slots=True)
class OnWorkers:
    """What works out a table of distinct values, some rows at a time.

    Attributes
    ----------
    takes : tuple of (id, name, kind, id of what marks its gaps)
    marks : tuple of id
    gives : tuple of (id, kind, id of what marks its gaps)
    each : ByValue
    """

    takes: tuple[tuple[str, str, Kind, str], ...]
    # Marks are sent once, though several values may share one.
    marks: tuple[str, ...]
    gives: tuple[tuple[str, Kind, str], ...]
    each: ByValue

    @classmethod
    def of(cls, one: Mapped) -> OnWorkers:
        """Return what works out a table whose values can be worked out apart."""
        assert one.work.each is not None
        return cls(
            tuple((held.id, held.name, held.kind, held.gap) for held in one.takes),
            one.marks,
            tuple((made.id, made.kind, made.gap) for made in one.gives),
            one.work.each,
        )

    @property
    def columns(self) -> list[tuple[str, Kind]]:
        """The columns that come out, with their kinds."""
        found = [(id_, kind) for id_, _, kind, _ in self.takes]
        found += [(mark, Kind.BOOLEAN) for mark in self.marks]
        for id_, kind, gap in self.gives:
            found += [(id_, kind), *([(gap, Kind.BOOLEAN)] if gap else [])]
        return found

    def __call__(self, batches: Iterator[pa.RecordBatch]) -> Iterator[pa.RecordBatch]:
        """Yield each batch of values with what is made of them."""
        for batch in batches:
            came = {id_: fetched(batch.column(id_), kind, id_) for id_, _, kind, _ in self.takes}
            gaps = {mark: fetched(batch.column(mark), Kind.BOOLEAN, mark) for mark in self.marks}
            values = {
                name: with_gaps(narrowest(came[id_]), gaps.get(gap))
                for id_, name, _, gap in self.takes
            }
            made = [batch.column(id_) for id_ in (*came, *gaps)]
            for (id_, _, gap), column in zip(self.gives, self.each(Table.of(values)), strict=True):
                made += [sent(column, id_), *([sent(marks(column), gap)] if gap else [])]
            yield pa.RecordBatch.from_arrays(made, [id_ for id_, _ in self.columns])


@dataclass(frozen=True, slots=True)
class Versions:
    """What a Python has that what our code gives may depend on: of letters, numbers, texts."""

    SHAPE: ClassVar[str] = "versions STRING"

    @staticmethod
    def here() -> dict[str, str]:
        """Return the versions of what this process runs with."""
        return {
            # Without the last number: what a letter is changes with the first two alone.
            "Python": ".".join(platform.python_version_tuple()[:2]),
            "Unicode": unicodedata.unidata_version,
            "NumPy": np.__version__,
            "Arrow": pa.__version__,
        }

    def __call__(self, batches: Iterator[pa.RecordBatch]) -> Iterator[pa.RecordBatch]:
        """Yield the versions of a worker."""
        for batch in batches:
            # Partitions may be empty, and an answer of theirs would be one too many.
            if batch.num_rows:
                yield pa.RecordBatch.from_arrays([[json.dumps(self.here())]], ["versions"])

    @classmethod
    def differ(cls, there: str) -> str:
        """Return in what a worker differs from here, as a sentence; empty for nothing."""
        found = json.loads(there)
        other = [
            tr(
                "{name} {get} there and {version} here",
                name=name,
                get=found.get(name, "none"),
                version=version,
            )
            for name, version in cls.here().items()
            if found.get(name) != version
        ]
        return (
            tr("The cluster's Python is another one: {other}.", other=", ".join(other))
            if other
            else ""
        )


@contextmanager
def packed() -> Iterator[Path]:
    """Give this package as a file that a cluster's workers can import from."""
    package = Path(__file__).parents[2]
    with tempfile.TemporaryDirectory(prefix="keen-trellis-") as folder:
        path = Path(folder) / "keen_trellis.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            # Sorted, so that the same code makes the same file, which the cluster then knows.
            for part in sorted(_NEEDED.union(p.name for p in package.glob("*.py"))):
                place = package / part
                for file in [place] if place.is_file() else sorted(place.rglob("*.py")):
                    archive.write(file, Path("keen_trellis") / file.relative_to(package))
        yield path


_NEEDED = {
    *("base", "compute", "data", "deliver", "layouts", "places", "plan", "read", "servers", "sql")
}
"""The parts of the package that its workers import; the window is none of them."""
