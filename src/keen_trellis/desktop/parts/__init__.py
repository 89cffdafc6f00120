"""How each kind of part shows itself: a new one is a folder here and a line in `VIEWS`."""

from keen_trellis.desktop.bench.page import PartView
from keen_trellis.desktop.parts import (
    across,
    blend,
    columns,
    delivery,
    fill,
    filter,
    first,
    formula,
    join,
    kinds,
    lane,
    order,
    pivot,
    repeats,
    replace,
    split,
    stack,
    summarise,
    tidy,
    together,
    unpivot,
)
from keen_trellis.document.items import Item

VIEWS: dict[str, PartView] = {
    "lane": lane.VIEW,
    "filter": filter.VIEW,
    "tidy": tidy.VIEW,
    "replace": replace.VIEW,
    "formula": formula.VIEW,
    "fill": fill.VIEW,
    "columns": columns.VIEW,
    "kinds": kinds.VIEW,
    "split": split.VIEW,
    "together": together.VIEW,
    "unpivot": unpivot.VIEW,
    "pivot": pivot.VIEW,
    "across": across.VIEW,
    "repeats": repeats.VIEW,
    "summarise": summarise.VIEW,
    "order": order.VIEW,
    "first": first.VIEW,
    "join": join.VIEW,
    "blend": blend.VIEW,
    "stack": stack.VIEW,
    "delivery": delivery.VIEW,
}
"""By the type of the item; a lane itself is a part, too."""


def view_of(item: Item | None) -> PartView:
    """Return how an item shows itself; the lane, where there is none."""
    return VIEWS[item.type if item else "lane"]
