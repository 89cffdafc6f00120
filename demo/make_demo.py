"""Makes the demo world: a winter season of a small, made-up island ferry company.

Run it to write every file anew; the seed is fixed, so the values never change. The flaws are put
in on purpose, each where somebody who joins these tables would meet it.
"""

from __future__ import annotations

import csv
import datetime as dt
import random
import sqlite3
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import xlsxwriter
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table, TableCell, TableRow
from odf.text import P

HERE = Path(__file__).parent
SEASON = dt.date(2026, 1, 1)
DAYS = 90
PORTS = {
    "KP": "Kelp Point",
    "MS": "Marrow Sound",
    "GH": "Gannet Head",
    "TO": "Tolland",
    "BR": "Brae",
}
SHORT = {"Kelp Point": "Kelp Pt", "Gannet Head": "Gannet Hd", "Marrow Sound": "Marrow Snd"}
OUTER = {"GH", "TO"}
NEVER_SAILED = ("GH-BR", "TO-BR")
VESSELS = (
    ("Sallow Queen", 1998, 240, "Tern"),
    ("Tern", 2004, 180, "Sallow Queen"),
    ("Grey Heron", 2011, 150, "Tern"),
    ("Marram", 1987, 90, "Little Auk"),
    ("Little Auk", 2016, 60, "Marram"),
    ("Dunlin", 2009, 110, "Grey Heron"),
    ("Samphire", 1992, 130, "Dunlin"),
    ("Eider", 2019, 200, "Sallow Queen"),
    ("Thrift", 1979, 45, None),
    ("Sea Holly", 2001, 75, "Old Pilot"),  # a relief that is no vessel of the list
    ("Sallow Queen", 1998, 236, "Tern"),  # entered again after a refit: a lookup that repeats
)
FIRST = ("Ailsa", "Bram", "Corin", "Dagny", "Edda", "Fenn", "Greta", "Hamish", "Isla", "Jory")
LAST = ("Orme", "Pascoe", "Quill", "Rowan", "Skerry", "Tarn", "Udal", "Voe", "Wick", "Yarrow")
TICKETS = ("adult", "child", "vehicle", "freight", "season")


def sailed_codes(routes: Sequence[Sequence[Any]]) -> list[str]:
    return [row[0] for row in routes if row[0] not in NEVER_SAILED]


def make_routes() -> list[list[Any]]:
    rng = random.Random(1)
    rows = []
    for a in PORTS:
        for b in PORTS:
            if a != b:
                zone = "Outer" if {a, b} & OUTER else "Inner"
                miles = round(rng.uniform(4, 31), 1)
                rows.append([f"{a}-{b}", PORTS[a], PORTS[b], miles, zone, int(miles * 6 + 8)])
    for a in ("KP", "MS", "TO"):  # harbour tours come back to where they began
        rows.append([f"{a}-{a}", PORTS[a], PORTS[a], 5.5, "Outer" if a in OUTER else "Inner", 50])
    return rows


def make_crew() -> list[list[Any]]:
    """Return id (a number), name, and the mentor's id (kept as text: a number stored as text)."""
    rng = random.Random(2)
    names = [f"{first} {last}" for first in FIRST for last in LAST]
    rng.shuffle(names)
    rows = []
    for number, name in enumerate(names[:38], start=1):
        mentor = None if number <= 4 else str(rng.randrange(1, number))
        rows.append([100 + number, name, None if mentor is None else str(100 + int(mentor))])
    rows[20][2] = "199"  # nobody has this id
    return rows


def make_sailings(routes: list[list[Any]], crew: list[list[Any]]) -> list[list[Any]]:
    rng = random.Random(3)
    codes = sailed_codes(routes)
    vessels = [row[0] for row in VESSELS[:9]]
    rows: list[list[Any]] = []
    for number in range(1, 1210):
        day = SEASON + dt.timedelta(days=(number - 1) * DAYS // 1209)
        departs = dt.time(rng.randrange(6, 21), rng.choice((0, 15, 30, 45)))
        passengers = rng.randrange(4, 178)
        skipper = crew[rng.randrange(12)][1]
        status = rng.choices(("sailed", "late", "cancelled"), (88, 9, 3))[0]
        rows.append(
            [
                f"S-{number:04d}",
                day,
                departs,
                codes[(number - 1) % len(codes)],
                rng.choice(vessels),
                passengers,
                rng.randrange(0, 34),
                skipper,
                status,
            ]
        )
    flaws = {418: "KP-MS ", 602: "KP-MS ", 533: "kp-ms", 871: "ZZ-00", 1120: None}
    flaws |= dict.fromkeys((77, 212, 340, 901), "Kelp Pt-Brae")
    flaws |= dict.fromkeys((155, 689), "Gannet Hd-Tolland")
    for number, route in flaws.items():
        rows[number - 1][3] = route
    for number in (5, 44, 390, 777):
        rows[number - 1][5] = None  # nobody counted
    for number in (61, 250, 903):
        rows[number - 1][4] = rows[number - 1][4].upper()
    return rows


def make_takings(routes: list[list[Any]]) -> dict[str, list[list[Any]]]:
    """Return the rows of each month: month, route spelled out, ticket type, office, amount."""
    rng = random.Random(4)
    months: dict[str, list[list[Any]]] = {}
    for month in ("2026-01", "2026-02", "2026-03"):
        rows = []
        for code, a, b, *_ in routes:
            if code in NEVER_SAILED:
                continue
            for ticket in TICKETS:
                for office in PORTS.values():
                    spelled = f"{a} - {b}"
                    if rng.random() < 0.04:
                        spelled = f"{SHORT.get(a, a)} - {SHORT.get(b, b)}"
                    elif rng.random() < 0.03:
                        spelled = rng.choice((spelled.upper(), f" {spelled}", f"{a}  - {b}"))
                    rows.append([month, spelled, ticket, office, f"{rng.uniform(15, 900):.2f}"])
        months[month] = rows
    months["2026-02"].append(["2026-02", "Charter", "freight", "Brae", "412.00"])
    months["2026-03"].append(["2026-03", "", "adult", "Tolland", "18.50"])
    return months


def make_roster(crew: list[list[Any]]) -> list[list[Any]]:
    rng = random.Random(5)
    rows = []
    for week in range(1, 14):
        for _, name, _ in crew:
            first, last = name.split(" ")
            last = last.upper() if rng.random() < 0.03 else last
            rows.append([week, first, last, rng.choice(VESSELS)[0], rng.choice(("A", "B", ""))])
    rows.append([4, "Nils", "Ostrand", "Tern", "A"])  # a stand-in who is on no crew list
    return rows


def make_warnings() -> list[list[Any]]:
    rng = random.Random(6)
    rows = []
    for number in range(1, 27):
        start = dt.datetime(2026, 1, 1) + dt.timedelta(hours=rng.randrange(0, DAYS * 24))
        end = start + dt.timedelta(hours=rng.randrange(5, 40))
        zone = rng.choice(("Inner", "Outer", "outer "))
        rows.append([f"W{number:02d}", zone, start, end, rng.randrange(8, 12)])
    return sorted(rows, key=lambda row: row[2])


def make_fares(routes: list[list[Any]]) -> list[list[Any]]:
    rng = random.Random(7)
    rows = []
    for code in sailed_codes(routes):
        fare = rng.uniform(6, 28)
        for start in (dt.date(2025, 10, 1), dt.date(2026, 1, 15), dt.date(2026, 3, 1)):
            rows.append([code, start, f"{fare:.2f}"])
            fare *= 1.03
    return rows


def make_budget() -> list[list[Any]]:
    return [
        [month, zone, target]
        for month, factor in (("2026-01", 1.0), ("2026-02", 0.9), ("2026-03", 1.15))
        for zone, target in (("Inner", int(88_000 * factor)), ("Outer", int(56_000 * factor)))
    ]


def write_operations(
    path: Path, sailings: list[list[Any]], vessels: Iterable[Any], crew: list[list[Any]]
) -> None:
    document = OpenDocumentSpreadsheet()
    title = [["Sallow Isles Ferries: sailings of the winter season 2026"], []]
    head = ["sailing", "date", "departs", "route", "vessel"]
    head += ["passengers", "vehicles", "skipper", "status"]
    sheets: dict[str, list[Any]] = {
        "Sailings": [*title, head, *sailings],
        "Vessels": [["vessel", "built", "seats", "relief vessel"], *vessels],
        "Crew": [["id", "name", "mentor id"], *crew],
    }
    for name, rows in sheets.items():
        table = Table(name=name)
        for row in rows:
            line = TableRow()
            for value in row:
                line.addElement(ods_cell(value))
            table.addElement(line)
        document.spreadsheet.addElement(table)
    document.save(str(path))


def ods_cell(value: Any) -> TableCell:
    if value is None:
        return TableCell()
    if isinstance(value, dt.date):
        cell = TableCell(valuetype="date", datevalue=value.isoformat())
    elif isinstance(value, dt.time):
        cell = TableCell(valuetype="time", timevalue=value.strftime("PT%HH%MM00S"))
    elif isinstance(value, int | float):
        cell = TableCell(valuetype="float", value=value)
    else:
        cell = TableCell(valuetype="string")
    cell.addElement(P(text=str(value)))
    return cell


def write_routes(path: Path, routes: list[list[Any]]) -> None:
    path.unlink(missing_ok=True)
    with sqlite3.connect(path) as database:
        database.execute(
            "create table routes (code text primary key, from_port text, to_port text,"
            " distance real, zone text, minutes integer)"
        )
        database.executemany("insert into routes values (?, ?, ?, ?, ?, ?)", routes)
    database.close()


def write_csv(path: Path, head: Sequence[str], rows: Iterable[Sequence[Any]]) -> None:
    path.parent.mkdir(exist_ok=True)
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(head)
        writer.writerows(rows)


def write_budget(path: Path, budget: list[list[Any]]) -> None:
    with xlsxwriter.Workbook(path) as workbook:
        workbook.set_properties({"created": dt.datetime(2026, 1, 1)})
        sheet = workbook.add_worksheet("Budget")
        sheet.write("A1", "Takings targets, winter season 2026")
        sheet.write_row("A3", ("month", "zone", "target"))
        for place, row in enumerate(budget, start=3):
            sheet.write_row(place, 0, row)
        sheet.write_row(3 + len(budget), 0, ("total", None, sum(row[2] for row in budget)))


def main() -> None:
    routes, crew = make_routes(), make_crew()
    write_operations(HERE / "operations.ods", make_sailings(routes, crew), VESSELS, crew)
    write_routes(HERE / "harbour.sqlite", routes)
    for month, rows in make_takings(routes).items():
        order = [3, 4, 0, 1, 2] if month == "2026-03" else [0, 1, 2, 3, 4]
        head = ("month", "route", "ticket type", "office", "amount")
        picked = [[row[c] for c in order] for row in rows]
        write_csv(HERE / "takings" / f"{month}.csv", [head[c] for c in order], picked)
    names = ("week", "first name", "last name", "vessel", "watch")
    write_csv(HERE / "roster.csv", names, make_roster(crew))
    heads = ("warning", "zone", "from", "until", "force")
    write_csv(HERE / "warnings.csv", heads, make_warnings())
    write_csv(HERE / "fares.csv", ("route", "valid_from", "fare"), make_fares(routes))
    write_budget(HERE / "budget.xlsx", make_budget())


if __name__ == "__main__":
    main()
