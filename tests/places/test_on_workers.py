"""What is sent to a cluster's workers works there with NumPy and Arrow alone."""

import pickle
import subprocess
import sys
import unittest

import pyarrow as pa

from keen_trellis.base.errors import UserError
from keen_trellis.compute.by_value import ByValue, Evaluating, Holding, InKind, Tidying
from keen_trellis.compute.table_schema import schema_of
from keen_trellis.data import Column, Kind, Table
from keen_trellis.formulas.formula_parser import formula
from keen_trellis.places.spark.on_workers import OnWorkers, packed
from keen_trellis.places.transfer_cells import fetched, sent
from keen_trellis.plan.expressions import Tested
from keen_trellis.plan.functions import FUNCTIONS
from keen_trellis.plan.text_rules import TEXT_RULES
from tests.compute.test_formulas import AS_THERE, EDGE, KINDS
from tests.places.plans import cells

ALONE = """
import pickle, sys
import numpy, pyarrow, pyarrow.compute
mine = sys.stdlib_module_names | {"numpy", "pyarrow", "cython_runtime", "keen_trellis"}

class Nothing:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] not in mine:
            raise ImportError(f"{name} is not on a worker")

sys.meta_path.insert(0, Nothing())
sys.path.insert(0, sys.argv[1])
work, batch = pickle.load(sys.stdin.buffer)
made = list(work(iter([batch.slice(0, 2), batch.slice(2)])))
assert "keen_trellis.zip" in sys.modules["keen_trellis"].__file__
pickle.dump(made, sys.stdout.buffer)
"""
"""A worker that has this package only as it was sent to it."""


class OnWorkersTest(unittest.TestCase):
    def test_every_function_works_there(self) -> None:
        rows = Table.of(
            {
                name: Column.of([EDGE[name], None, EDGE[name]], Kind(kind))
                for name, (kind, _) in KINDS.items()
                if Kind(kind) is not Kind.EXACT
            }
        )
        schema = schema_of(rows)
        asked = []
        examples = [text for one in FUNCTIONS.values() for text, _ in one.examples]
        for text in (*AS_THERE, *examples):
            try:
                asked.append(formula(text, schema))
            except UserError:  # of exact decimals
                continue
        asked = [one for one in asked if Evaluating((one,)).apart]  # the others stay here
        self.assertGreater(len(asked), 90)
        self.check(Evaluating(tuple(asked)), rows, [one.kind for one in asked])

    def test_conditions_kinds_and_text_rules_work_there(self) -> None:
        texts = Table.of(
            {"t": Column.of([" KÖLN  Süd ", None, "", "köln süd", "ß\u200b"], Kind.TEXT)}
        )
        numbers = Table.of({"n": Column.of([2**53, -1, None], Kind.INTEGER)})
        self.check(Tidying("t", TEXT_RULES), texts, [Kind.TEXT])
        self.check(Holding(Tested("t", "contains", "ln")), texts, [Kind.BOOLEAN])
        self.check(InKind("n", Kind.NUMBER), numbers, [Kind.NUMBER])

    def check(self, each: ByValue, rows: Table, kinds: list[Kind]) -> None:
        """Have a process without any other package work it out, and compare with here."""
        held = {f"in{place}": name for place, name in enumerate(rows.columns)}
        work = OnWorkers(
            tuple((id_, name, rows.column(name).kind, "") for id_, name in held.items()),
            (),
            tuple((f"out{place}", kind, "") for place, kind in enumerate(kinds)),
            each,
        )
        self.assertTrue(each.apart)
        arrays = [sent(rows.column(name), id_) for id_, name in held.items()]
        batch = pa.RecordBatch.from_arrays(arrays, list(held))
        with packed() as path:
            done = subprocess.run(
                [sys.executable, "-I", "-c", ALONE, str(path)],
                input=pickle.dumps((work, batch)),
                capture_output=True,
            )
        self.assertEqual(done.returncode, 0, done.stderr.decode())
        there = pa.Table.from_batches(pickle.loads(done.stdout))
        names = [f"out{place}" for place in range(len(kinds))]
        came = [
            fetched(there.column(id_), kind, id_) for id_, kind in zip(names, kinds, strict=True)
        ]
        self.assertEqual(
            cells(Table.of(dict(zip(names, came, strict=True)))),
            cells(Table.of(dict(zip(names, each(rows), strict=True)))),
        )
