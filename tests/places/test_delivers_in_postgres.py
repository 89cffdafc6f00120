"""Outcomes written where they are worked out: added, updated by a key, replaced, or refused."""

from decimal import Decimal

from keen_trellis.document import Trellis
from keen_trellis.document.edits import (
    AddDelivery,
    AddLane,
    SetDelivery,
    SetPlace,
    apply,
)
from keen_trellis.document.items import (
    DeliveryItem,
    IntoTable,
)
from tests.places.place_case import PostgresRoom, command


class DeliveredInPostgresTest(PostgresRoom):
    def test_rows_are_updated_by_their_key_and_what_that_changes_is_said_before(self) -> None:
        source = self.table("fares", "n int, fare numeric(6,2)", "(1, 1.25), (2, 3.5), (4, null)")
        trellis = apply(AddLane("Fares", source), Trellis())[0]
        trellis = apply(AddDelivery("fares", "Fares", "x.csv"), trellis)[0]
        ((_, item),) = trellis.deliveries()
        into = IntoTable(
            database=self.at, table="kept", in_schema=self.schema, how="update", key="n"
        )
        made = DeliveryItem(**dict(item.model_copy(update={"path": "", "into": into})))
        told = apply(SetPlace(self.place), apply(SetDelivery(made), trellis)[0])[0]
        file = self.saved(told, self.room / "fares.trellis")
        kept = f"{self.schema}.kept"
        self.server.execute(f"create table {kept} (fare numeric(9, 3), n bigint unique, at date)")
        before = [(1.25, 1, None), (9, 2, "2026-01-05"), (7, 3, None), (None, None, None)]
        said = "1 row added, 1 changed, 1 as they were and 2 only there stay"
        for place in ([], ["--on", "pier"]):
            self.server.execute(f"truncate {kept}")
            for row in before:
                self.server.execute(f"insert into {kept} values (%s, %s, %s)", row)
            rows = f"select n, fare, at::text from {kept} order by n"
            for how, now in (([], 9), (["--deliver"], Decimal("3.5"))):
                code, told, trouble = command("run", str(file), *place, *how)
                self.assertEqual(code, 0, trouble)
                self.assertIn(said, told)
                found = self.server.execute(rows).fetchall()
                self.assertEqual(found[1], (2, now, "2026-01-05"))
                self.assertEqual(len(found), 5 if how else 4)

    def test_outcomes_are_written_there_in_one_transaction_or_fetched(self) -> None:
        trellis = self.tied()
        file = self.saved(trellis, self.room / "tied.trellis")
        self.assertEqual(command("run", str(file), "--on", "pier", "--deliver")[0], 0)
        there = (self.room / "season.csv").read_text()
        command("run", str(file), "--deliver", "--replace")
        self.assertEqual(
            sorted(there.splitlines()), sorted((self.room / "season.csv").read_text().splitlines())
        )
        item = next(one for _, one in trellis.deliveries())
        into = IntoTable(
            database=self.at, table="season", in_schema=self.schema, how="replace", key="ticket"
        )
        self.server.execute(f"create table {self.schema}.season as select 'old' as ticket")
        changed = item.model_copy(update={"path": "", "into": into})
        made = DeliveryItem(**dict(changed))
        file = self.saved(apply(SetDelivery(made), trellis)[0], file)
        code, _, trouble = command("run", str(file), "--on", "pier", "--deliver")
        self.assertEqual(code, 2)  # ticket 1 stands there twice: the old table stays
        self.assertIn("cannot be written", trouble)
        rows = self.server.execute(f"select * from {self.schema}.season").fetchall()
        self.assertEqual(rows, [("old",)])
        into = into.model_copy(update={"key": ""})
        made = DeliveryItem(**dict(changed.model_copy(update={"into": into})))
        file = self.saved(apply(SetDelivery(made), trellis)[0], file)
        self.assertEqual(command("run", str(file), "--on", "pier", "--deliver")[0], 0)
        rows = self.server.execute(f"select ticket, pier from {self.schema}.season").fetchall()
        self.assertEqual(
            sorted(rows, key=str),
            [(1, "Tolland"), (1, "Tolland"), (2, "Brae"), (9, None), (None, None)],
        )

    def test_what_hangs_on_a_table_there_stays_while_its_rows_are_replaced(self) -> None:
        source = self.table("fares", "n int, fare numeric(6,2)", "(1, 1.25), (2, 3.5)")
        trellis = apply(AddLane("Fares", source), Trellis())[0]
        trellis = apply(AddDelivery("fares", "Fares", "x.csv"), trellis)[0]
        ((_, item),) = trellis.deliveries()
        into = IntoTable(database=self.at, table="kept", in_schema=self.schema, how="replace")
        made = DeliveryItem(**dict(item.model_copy(update={"path": "", "into": into})))
        told = apply(SetPlace(self.place), apply(SetDelivery(made), trellis)[0])[0]
        file = self.saved(told, self.room / "fares.trellis")
        kept = f"{self.schema}.kept"
        for columns, code in (
            ("n bigint generated always as identity, fare numeric(5, 2)", 0),
            ("fare numeric(9, 2), n bigint", 0),
            ("n bigint, fare numeric(5, 1)", 2),
            ("n bigint, fare numeric(2, 2)", 2),
            ("n bigint, fare text", 2),
            ("n bigint", 2),
        ):
            with self.subTest(columns):
                self.server.execute(f"drop table if exists {kept} cascade")
                self.server.execute(f"create table {kept} ({columns})")
                self.server.execute(f"create view {self.schema}.seen as select n from {kept}")
                self.server.execute(f"grant select on {kept} to public")
                found, _, trouble = command("run", str(file), "--on", "pier", "--deliver")
                self.assertEqual(found, code, trouble)
                rows = self.server.execute(f"select n from {self.schema}.seen order by n")
                self.assertEqual(rows.fetchall(), [] if code else [(1,), (2,)])
                if code:
                    self.assertIn("the rights of PUBLIC and the view", trouble)

    def test_rows_are_added_there_as_they_are_or_not_at_all(self) -> None:
        source = self.table("fares", "fare numeric, at timestamp", "(1.25, '2026-01-05 08:30')")
        trellis = apply(AddLane("Fares", source), Trellis())[0]
        trellis = apply(AddDelivery("fares", "Fares", "x.csv"), trellis)[0]
        ((_, item),) = trellis.deliveries()
        for columns, fits in (
            ("fare numeric(6, 1), at timestamp", False),
            ("fare numeric(6, 2), at date", False),
            ("at timestamp(0), fare double precision", True),
        ):
            self.server.execute(f"drop table if exists {self.schema}.kept")
            self.server.execute(f"create table {self.schema}.kept ({columns})")
            into = IntoTable(database=self.at, table="kept", in_schema=self.schema, how="add")
            made = DeliveryItem(**dict(item.model_copy(update={"path": "", "into": into})))
            told = apply(SetPlace(self.place), apply(SetDelivery(made), trellis)[0])[0]
            file = self.saved(told, self.room / "fares.trellis")
            for place in (["--on", "pier"], []):
                code, _, trouble = command("run", str(file), *place, "--deliver")
                with self.subTest(columns, place=place):
                    self.assertEqual(code, 0 if fits else 2, trouble)
                    self.assertEqual("1 value of “" in trouble, not fits)
            kept = self.server.execute(f"select count(*) from {self.schema}.kept").fetchone()
            self.assertEqual(kept, (2 * fits,))
