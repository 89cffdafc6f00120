"""Edits of every sort by chance, for tests that many of them together must not break."""

from random import Random

from keen_trellis.data import Kind
from keen_trellis.document import Lane, Trellis
from keen_trellis.document.edits import (
    AddBlend,
    AddDelivery,
    AddReport,
    AddStack,
    AddTie,
    ChangeTie,
    Edit,
    InsertItem,
    MoveBehind,
    MoveItem,
    MoveLane,
    RemoveItem,
    RemoveLane,
    RemoveReport,
    RenameLane,
    SetBay,
    SetItem,
    SetNote,
    SetPairs,
    SetPromises,
    SetReport,
    SwapSides,
    lane_with_bay,
    lane_with_rows,
    report_at,
)
from keen_trellis.document.items import (
    AcrossItem,
    ColumnsItem,
    ConditionItem,
    FigureItem,
    FillItem,
    FilterItem,
    FirstItem,
    FormulaItem,
    JoinItem,
    KindsItem,
    LinkedFields,
    NamedFormula,
    OrderedBy,
    OrderItem,
    PivotItem,
    Promised,
    RepeatsItem,
    ReplaceItem,
    Replacement,
    SameValues,
    SplitItem,
    StepItem,
    SummariseItem,
    TidyItem,
    TogetherItem,
    UnpivotItem,
)
from keen_trellis.document.reports import Report, ReportFigure, ReportGroup
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.promises import PROMISES

LANES_AT_MOST, ITEMS_AT_MOST, REPORTS_AT_MOST = 7, 9, 3


def any_edit(trellis: Trellis, chance: Random) -> Edit:
    """Return an edit that may or may not be allowed, of lanes with routes, riders and codes."""
    lanes = trellis.lanes
    a, b = chance.choice(lanes), chance.choice(lanes)
    items = [item for lane in lanes for item in lane.items]
    adding: list[Edit] = []
    if len(items) < ITEMS_AT_MOST:
        link = (LinkedFields(left="route", right=chance.choice(["route", "code"])),)
        adding += [AddTie(a.id, b.id, link), AddStack(a.id, (b.id,))]
        figures = ((FigureItem(column="riders"),), (FigureItem(),))
        adding.append(AddBlend(a.id, (b.id,), link, figures))
        adding += [AddDelivery(a.id, f"Rows {len(items)}", f"/nowhere/rows {len(items)}.csv")]
        adding += [InsertItem(a.id, a.id, FilterItem(id="", conditions=(_condition(chance),)))]
        places = [a.id, *(item.id for item in a.items)]
        adding += [InsertItem(a.id, chance.choice(places), any_step(chance)) for _ in range(2)]
    if len(lanes) < LANES_AT_MOST:
        adding.append(lane_with_rows(trellis, a.id, chance.choice((a, *a.items)).id))
    if len(trellis.reports) < REPORTS_AT_MOST:
        adding.append(AddReport(any_report(trellis, a, chance)))
    changing: list[Edit] = [
        RenameLane(a.id, chance.choice(["One", "Two", "Three"])),
        MoveLane(a.id, chance.randrange(len(lanes))),
        SetNote(chance.choice([a, *a.items]).id, chance.choice(["", "so", "otherwise"])),
    ]
    if len(lanes) > 3:
        changing.append(RemoveLane(a.id))
    if trellis.reports:
        report = chance.choice(trellis.reports)
        changing.append(RemoveReport(report.id))
        changing.append(SetReport(report.but(top=chance.choice([None, 1]), picture="heat")))
    if items:
        item = chance.choice(items)
        changing += [RemoveItem(item.id), MoveBehind(item.id)]
        changing.append(MoveItem(item.id, chance.choice([-1, 1])))
        if isinstance(item, FilterItem):
            conditions = (_condition(chance), _condition(chance))
            changing.append(SetItem(FilterItem(id=item.id, conditions=conditions, of="any")))
        if isinstance(item, StepItem):
            changing.append(SetItem(item.but(off=not item.off)))
        if item.takes():
            changing.append(ChangeTie(item.id, chance.choice(["join", "blend", "stack"])))
        if isinstance(item, JoinItem):
            pair = SameValues(left="KP-MS", right="KP-BR")
            changing += [SwapSides(item.id), SetPairs(item.id, (pair,), (pair,))]
            changing.append(SetBay(item.id, chance.choice(list(Bay)), chance.random() < 0.5))
            promised = Promised(what=chance.choice(PROMISES), column=chance.choice(["riders", ""]))
            changing.append(SetPromises(item.id, (promised,)))
            if len(lanes) < LANES_AT_MOST:
                adding.append(lane_with_bay(trellis, item.id, chance.choice(list(Bay))))
    return chance.choice([*adding, *changing])


def any_report(trellis: Trellis, lane: Lane, chance: Random) -> Report:
    """Return a report of a lane by some column that may or may not be there."""
    after = chance.choice([None, lane.id, *(item.id for item in lane.items)])
    groups = (ReportGroup(column=chance.choice(["route", "code"])),)
    figures = (ReportFigure(column=chance.choice(["riders", None]), how="count"),)
    made = report_at(lane.id, after, "Season")
    return made.but(groups=groups, figures=figures)


def any_step(chance: Random) -> StepItem:
    """Return a step of any kind but the filter, on columns that may or may not be there."""
    column = chance.choice(["route", "riders", "code"])
    steps: tuple[StepItem, ...] = (
        TidyItem(id="", columns=("route",), letters=chance.choice(["capitals", "stay"])),
        ReplaceItem(
            id="", columns=(column,), replacements=(Replacement(old="KP-MS", new="KP-BR"),)
        ),
        FormulaItem(id="", columns=(NamedFormula(name="more", formula="riders * 2"),)),
        FillItem(id="", columns=(column,), with_="the value above"),
        ColumnsItem(id="", first=(column,), names={"riders": chance.choice(["riders", "people"])}),
        KindsItem(id="", kinds={column: chance.choice([Kind.TEXT, Kind.EXACT])}),
        SplitItem(id="", column="route", into=("from", "to"), into_rows=chance.random() < 0.3),
        TogetherItem(id="", columns=("route", column)),
        PivotItem(id="", field="route", values=("KP-MS",), by=(column,), rest="others"),
        AcrossItem(id="", name="rank", what="running sum", column="riders", by=(column,)),
        UnpivotItem(id="", columns=(column, "riders"), name="of", blanks=chance.random() < 0.5),
        RepeatsItem(id="", by=(column,), keep=chance.choice(["first", "alone"])),
        SummariseItem(id="", by=("route",), figures=(FigureItem(column="riders"),)),
        OrderItem(id="", by=(OrderedBy(field=column),)),
        FirstItem(id="", n=2, end=chance.choice(["first", "last"])),
    )
    return chance.choice(steps)


def _condition(chance: Random) -> ConditionItem:
    value = chance.choice(["1", "12", "98", "many", ""])
    test = chance.choice(["=", ">", "<=", "<>"])
    return ConditionItem(column="riders", is_=test, values=(value,))  # type: ignore[arg-type]
