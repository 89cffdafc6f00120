"""Edits of every sort by chance, for tests that many of them together must not break."""

from random import Random

from keen_trellis.document import Trellis
from keen_trellis.document.edits import (
    AddBlend,
    AddDelivery,
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
    RenameLane,
    SetBay,
    SetItem,
    SetNote,
    SetPairs,
    SetPromises,
    SwapSides,
    lane_with_bay,
    lane_with_rows,
)
from keen_trellis.document.items import (
    ConditionItem,
    FigureItem,
    FilterItem,
    JoinItem,
    LinkedFields,
    Promised,
    SameValues,
)
from keen_trellis.plan.bays import Bay
from keen_trellis.plan.promises import PROMISES

LANES_AT_MOST, ITEMS_AT_MOST = 7, 9


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
    if len(lanes) < LANES_AT_MOST:
        adding.append(lane_with_rows(trellis, a.id, chance.choice((a, *a.items)).id))
    changing: list[Edit] = [
        RenameLane(a.id, chance.choice(["One", "Two", "Three"])),
        MoveLane(a.id, chance.randrange(len(lanes))),
        SetNote(chance.choice([a, *a.items]).id, chance.choice(["", "so", "otherwise"])),
    ]
    if len(lanes) > 3:
        changing.append(RemoveLane(a.id))
    if items:
        item = chance.choice(items)
        changing += [RemoveItem(item.id), MoveBehind(item.id)]
        changing.append(MoveItem(item.id, chance.choice([-1, 1])))
        if isinstance(item, FilterItem):
            conditions = (_condition(chance), _condition(chance))
            changing.append(SetItem(FilterItem(id=item.id, conditions=conditions, of="any")))
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


def _condition(chance: Random) -> ConditionItem:
    value = chance.choice(["1", "12", "98", "many", ""])
    test = chance.choice(["=", ">", "<=", "<>"])
    return ConditionItem(column="riders", is_=test, values=(value,))  # type: ignore[arg-type]
