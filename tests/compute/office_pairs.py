"""Forty pairs of tables as offices have them, each with the link that its people mean.

Every pair holds decoys: row numbers, ratings, quarters, amounts and dates that agree by accident.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from decimal import Decimal
from random import Random
from typing import Any, NamedTuple

Columns = dict[str, list[Any]]

TOWNS = (
    *("Kelp Point", "Marrow Sound", "Gannet Head", "Tolland", "Brae", "Sallow", "Hythe End"),
    *("Skerry", "Lund Bay", "Ferrow", "Oxna", "Tarn Mouth", "Greyholm", "Westerley"),
    *("Pitt Ness", "Calder"),
)
FIRST = (
    *("Ada", "Bram", "Cleo", "Dov", "Edda", "Finn", "Gwen", "Hugo", "Isla", "Jory", "Kaya"),
    *("Leif", "Mona", "Nils", "Orla", "Piet"),
)
LAST = (
    *("Adler", "Brandt", "Carrow", "Dunne", "Ekholm", "Farrow", "Garrick", "Holm", "Ives"),
    *("Jansen", "Kerr", "Lowe"),
)


class OfficePair(NamedTuple):
    """Two tables, what they are called, and the fields that belong together."""

    left: Columns
    right: Columns
    names: tuple[str, str]
    link: set[tuple[str, str]]


def office_pairs(seed: int = 1) -> Iterator[OfficePair]:
    """Yield the pairs; another seed gives other values of the same shapes."""
    r = Random(seed)

    def some(count: int, low: int, high: int) -> list[int]:
        return [r.randint(low, high) for _ in range(count)]

    def of(count: int, values: Any) -> list[Any]:
        return [r.choice(list(values)) for _ in range(count)]

    def ids(count: int, start: int = 1) -> list[int]:
        return list(range(start, start + count))

    def codes(count: int, pattern: str = "{:c}{:c}-{:03d}") -> list[str]:
        made = {pattern.format(*some(2, 65, 90), r.randint(0, 999)) for _ in range(count * 2)}
        return sorted(made)[:count]

    def money(count: int) -> list[Decimal]:
        return [Decimal(r.randint(100, 99_999)).scaleb(-2) for _ in range(count)]

    def days(count: int, start: str = "2026-01-01", span: int = 90) -> list[dt.date]:
        first = dt.date.fromisoformat(start)
        return [first + dt.timedelta(r.randrange(span)) for _ in range(count)]

    def months(count: int) -> list[dt.date]:
        return [dt.date(2025, 1 + n % 12, 1) for n in range(count)]

    def people(count: int) -> list[str]:
        return [f"{FIRST[n % 16]} {LAST[n // 16 % 12]}" for n in range(count)]

    def told(left: Columns, right: Columns, names: str, *link: str) -> OfficePair:
        a, b = names.split(" + ")
        pairs = [pair.split(" = ") for pair in link]
        return OfficePair(left, right, (a, b), {(x, y) for x, y in pairs})

    def messy(values: list[str], change: Callable[[str], str]) -> list[str]:
        return [change(v) if n % 3 else v for n, v in enumerate(values)]

    n = 120
    key = codes(40)
    place = TOWNS
    # small numbers that agree by accident, against values that do not
    yield told(
        {"town": messy(of(60, place), str.upper), "pieces": ids(20, 0) * 3},
        {"id": ids(4), "town": list(place[:4]), "floor": ids(4, 0)},
        "Parcels + Depots",
        "town = town",
    )
    yield told(
        {"no": ids(n), "customer": some(n, 1, 40), "quantity": some(n, 1, 20), "day": days(n)},
        {
            "id": ids(40),
            "name": people(40),
            "rating": some(40, 1, 5),
            "since": days(40, "2019-01-01", 900),
        },
        "Orders + Customers",
        "customer = id",
    )
    yield told(
        {
            "line_id": ids(n),
            "order_id": some(n, 1, 60),
            "product_id": some(n, 1, 30),
            "pieces": some(n, 1, 12),
        },
        {"order_id": ids(60), "customer_id": some(60, 1, 60), "day": days(60)},
        "Lines + Orders",
        "order_id = order_id",
    )
    yield told(
        {"id": ids(60), "customer_id": some(60, 1, 60), "day": days(60)},
        {"id": ids(n), "order_id": some(n, 1, 60), "pieces": some(n, 1, 12)},
        "Orders + Order lines",
        "id = order_id",
    )
    yield told(
        {
            "id": ids(n),
            "product": some(n, 1, 30),
            "pieces": some(n, 1, 30),
            "shelf": some(n, 1, 30),
        },
        {"product": ids(30), "weight": some(30, 1, 30), "price": money(30)},
        "Stock + Products",
        "product = product",
    )
    yield told(
        {"employee": ids(60, 1001), "desk": some(60, 1, 80), "grade": some(60, 1, 9)},
        {
            "badge": r.sample(ids(60, 1001), 60),
            "employee_no": r.sample(ids(60, 1001), 60),
            "issued": days(60),
        },
        "Staff + Badges",
        "employee = employee_no",
    )
    yield told(
        {
            "sailing": ids(n, 4000),
            "route": of(n, key),
            "passengers": some(n, 0, 200),
            "vehicles": some(n, 0, 40),
        },
        {"code": key, "zone": some(40, 1, 4), "minutes": some(40, 10, 90)},
        "Sailings + Routes",
        "route = code",
    )
    yield told(
        {
            "invoice": [f"INV-{x:05d}" for x in ids(n, 310)],
            "amount": (amount := money(n)),
            "due": days(n),
        },
        {
            "reference": [f"INV-{x:05d}" for x in r.sample(ids(n, 310), 90)],
            "amount": r.sample(amount, 90),
            "paid": days(90),
        },
        "Invoices + Payments",
        "invoice = reference",
    )
    yield told(
        {
            "article": (items := [f"{x:05d}" for x in r.sample(range(1, 90_000), 50)]),
            "size": some(50, 36, 46),
            "price": money(50),
        },
        {"item": of(n, items), "size": some(n, 36, 46), "day": days(n)},
        "Catalogue + Returns",
        "article = item",
    )
    # text against number
    numbers = r.sample(range(10_000, 99_999), 50)
    yield told(
        {"account": [str(x) for x in numbers], "centre": some(50, 100, 120)},
        {"ledger_account": of(n, numbers), "centre": some(n, 100, 120), "amount": money(n)},
        "Accounts + Postings",
        "account = ledger_account",
    )
    yield told(
        {"member": [f"{x:06d}" for x in numbers], "age": some(50, 18, 80)},
        {"member_no": of(n, numbers), "visits": some(n, 18, 60)},
        "Members + Visits",
        "member = member_no",
    )
    # what tidying brings together
    yield told(
        {"name": messy(people(60), str.upper), "age": some(60, 20, 65)},
        {"person": people(60)[::-1], "years": some(60, 20, 65)},
        "Payroll + Training",
        "name = person",
    )
    yield told(
        {"station": messy(list(place) * 3, lambda v: f" {v}  "), "reading": some(48, 0, 15)},
        {"station": list(place), "height": some(16, 0, 15), "id": ids(16, 0)},
        "Readings + Stations",
        "station = station",
    )
    yield told(
        {"plate": [c.replace("-", " ") for c in key], "seats": some(40, 2, 9)},
        {
            "registration": [c.replace("-", ".").lower() for c in of(n, key)],
            "litres": some(n, 2, 60),
        },
        "Cars + Fuel",
        "plate = registration",
    )
    mail = [f"{p.lower().replace(' ', '.')}@sallow.example" for p in people(60)]
    yield told(
        {"mail": mail, "floor": some(60, 1, 6)},
        {"contact": [m.title() for m in of(n, mail)], "priority": some(n, 1, 6), "closed": days(n)},
        "Staff + Tickets",
        "mail = contact",
    )
    # two of a sort: the names decide
    yield told(
        {
            "loaded_at": of(n, place),
            "comment": of(n, ["ok", "late", "Tolland"]),
            "tons": some(n, 1, 16),
        },
        {"port": list(place), "berths": some(16, 1, 16), "opened": days(16)},
        "Cargo + Ports",
        "loaded_at = port",
    )
    yield told(
        {"student": ids(n, 1), "score": some(n, 0, 100), "room": some(n, 1, 20)},
        {"student_id": some(n, 1, 120), "mark": some(n, 0, 100), "seat": some(n, 1, 120)},
        "Students + Results",
        "student = student_id",
    )
    yield told(
        {"ticket": ids(n, 700), "queue": some(n, 1, 5), "state": of(n, ["open", "shut"])},
        {
            "queue_id": ids(5),
            "team": list(place[:5]),
            "state": ["open", "shut", "open", "open", "shut"],
        },
        "Tickets + Queues",
        "queue = queue_id",
    )
    yield told(
        {"shift": some(n, 1, 3), "hour": some(n, 0, 23), "output": some(n, 0, 99)},
        {"shift_id": ids(3), "begins": [6, 14, 22], "ends": [14, 22, 6]},
        "Output + Shifts",
        "shift = shift_id",
    )
    yield told(
        {"vehicle_id": ids(30), "driver_id": r.sample(ids(30), 30), "km": some(30, 1, 30)},
        {"id": ids(30), "name": people(30), "age": some(30, 20, 65)},
        "Vehicles + Drivers",
        "driver_id = id",
    )
    yield told(
        {"project": some(n, 1, 25), "person": some(n, 1, 25), "hours": some(n, 1, 25)},
        {"id": ids(25), "name": people(25), "hired": days(25)},
        "Hours + Persons",
        "person = id",
    )
    yield told(
        {"projectNo": some(n, 1, 25), "personNo": some(n, 1, 25), "week": some(n, 1, 52)},
        {"no": ids(25), "title": codes(25), "budget": money(25)},
        "Hours + Projects",
        "projectNo = no",
    )
    # dates
    yield told(
        {"month": months(24), "takings": money(24), "rows": some(24, 1, 12)},
        {"month": months(12), "target": money(12), "place": ids(12)},
        "Takings + Targets",
        "month = month",
    )
    yield told(
        {"order": codes(80), "ordered": days(80), "sent": days(80, "2026-01-03")},
        {
            "day": [dt.date(2026, 1, 1) + dt.timedelta(x) for x in range(120)],
            "working": of(120, ["yes", "no"]),
        },
        "Orders + Calendar",
        "ordered = day",
    )
    shipped = codes(80)
    yield told(
        {"parcel": shipped, "sent": days(80), "zone": some(80, 1, 6)},
        {"parcel": r.sample(shipped, 70), "sent": days(70), "zone": some(70, 1, 6)},
        "Sent + Arrived",
        "parcel = parcel",
    )
    yield told(
        {"at": [dt.datetime(2026, 1, 1 + x % 28, 8) for x in ids(n)], "visits": some(n, 1, 28)},
        {"day": [dt.date(2026, 1, 1 + x) for x in range(28)], "weather": of(28, ["rain", "sun"])},
        "Visits + Weather",
        "at = day",
    )
    # part of the values only
    yield told(
        {"sku": (sku := codes(60)), "grade": some(60, 1, 5)},
        {"part": sku[40:] + codes(40, "Q{:c}{:c}{:03d}"), "grade": some(60, 1, 5)},
        "Ours + Theirs",
        "sku = part",
    )
    yield told(
        {"branch": of(n, place), "year": some(n, 2019, 2026), "sum": money(n)},
        {
            "branch": [*place[:9], "Hollow", "Ness"],
            "opened": some(11, 2019, 2026),
            "staff": some(11, 3, 20),
        },
        "Sales + Branches",
        "branch = branch",
    )
    yield told(
        {"depot": some(n, 1, 8), "van": some(n, 1, 40), "stops": some(n, 1, 40)},
        {"van": ids(40), "depot": some(40, 1, 8), "tons": some(40, 1, 8)},
        "Tours + Vans",
        "van = van",
    )
    # short codes
    short = ["KP", "MS", "GH", "TO", "BR", "SA", "HE", "SK"]
    yield told(
        {"port": of(n, short), "flag": of(n, ["DK", "NO", "SE"]), "boats": some(n, 1, 9)},
        {"iso": short, "name": list(place[:8]), "berths": some(8, 1, 9)},
        "Calls + Ports",
        "port = iso",
    )
    yield told(
        {
            "currency": of(n, ["EUR", "NOK", "SEK", "DKK"]),
            "amount": money(n),
            "year": some(n, 2020, 2026),
        },
        {"cur": ["EUR", "NOK", "SEK", "DKK", "ISK"], "digits": some(5, 2, 3), "rate": money(5)},
        "Bills + Rates",
        "currency = cur",
    )
    yield told(
        {"grade": of(n, "ABCDE"), "class": of(n, "ABCDEFGH"), "points": some(n, 0, 15)},
        {"class": list("ABCDEFGH"), "teacher": people(8), "room": some(8, 0, 15)},
        "Marks + Classes",
        "class = class",
    )
    yield told(
        {"yes": of(n, "YN"), "site": of(n, place), "late": of(n, "YN")},
        {"late": list("YN" * 8), "site_name": list(place), "yes": list("NY" * 8)},
        "Jobs + Sites",
        "site = site_name",
    )
    # long numbers, decimals, several
    isbn = [9_780_000_000_000 + x for x in r.sample(range(10**9), 50)]
    yield told(
        {"isbn": isbn, "pages": some(50, 90, 900), "price": money(50)},
        {"book": of(n, isbn), "copies": some(n, 90, 900), "day": days(n)},
        "Books + Sales",
        "isbn = book",
    )
    lots = codes(50, "L{:c}{:c}{:03d}")
    yield told(
        {"lot": lots, "tons": money(50), "line": some(50, 1, 4)},
        {"lot_no": of(n, lots), "tons": money(n), "line": some(n, 1, 4)},
        "Lots + Samples",
        "lot = lot_no",
    )
    yield told(
        {"customer_id": some(n, 1, 40), "customer_name": people(n), "rank": some(n, 1, 40)},
        {"customer_id": ids(40), "rank": ids(40)[::-1], "limit": money(40)},
        "Sales + Limits",
        "customer_id = customer_id",
    )
    yield told(
        {"week": some(n, 1, 52), "store": some(n, 1, 52), "sold": some(n, 1, 52)},
        {"store_no": ids(52), "town": of(52, place), "floor_space": some(52, 1, 52)},
        "Weeks + Stores",
        "store = store_no",
    )
    # the same table twice: who belongs to whom
    lead = {
        "id": ids(60),
        "name": people(60),
        "mentor_id": [None, *some(59, 1, 12)],
        "desk": some(60, 1, 60),
    }
    yield told(lead, lead, "Crew + Mentors", "mentor_id = id")
    ships = {
        "vessel": (ship := [f"MV {t}" for t in place]),
        "relief": of(16, ship),
        "seats": some(16, 60, 220),
        "built": some(16, 1970, 2020),
    }
    yield told(ships, ships, "Vessels + Reliefs", "relief = vessel")
    part = {
        "part": (parts := codes(60)),
        "of_part": of(60, parts[:9]),
        "level": some(60, 1, 60),
        "row": ids(60),
    }
    yield told(part, part, "Parts + Wholes", "of_part = part")
