"""An order of rows as parts of a sentence: columns, and which way each of them goes."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from keen_trellis.base.language import tr
from keen_trellis.data import Table
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.theme import value_font
from keen_trellis.document.items import OrderedBy

_WAYS = {"up": tr("least or earliest first"), "down": tr("largest or latest first")}


def tell_order(
    say: Sentence,
    name: str,
    order: tuple[OrderedBy, ...],
    table: Table | None,
    taken: Callable[[tuple[OrderedBy, ...]], object],
) -> None:
    """Add the fields of an order to a sentence, and one more; `taken` gets the order wanted."""
    fields = table.fields if table is not None else ()
    options = [(f.name, f.name, tr(f.kind)) for f in fields]

    def put(place: int, *fields: OrderedBy) -> None:
        taken((*order[:place], *fields, *order[place + 1 :]))

    def turn(place: int, way: str) -> None:
        put(place, order[place].but(descending=way == "down"))

    for place, one in enumerate(order):
        if place:
            say.word(tr("then"))
        say.choice(
            f"{name}.{place}",
            tr("The column"),
            options,
            current=one.field,
            chosen=lambda column, at=place: put(at, OrderedBy(field=column)),  # type: ignore[misc]
            font=value_font(),
        )
        say.choice(
            f"{name}.{place}.way",
            tr("Which way {field} goes", field=one.field),
            _WAYS,
            current="down" if one.descending else "up",
            chosen=partial(turn, place),
        )
        says = tr("Do not order by {field}", field=one.field)
        say.button("×", f"{name}.{place}.remove", says, partial(put, place))
    left = [option for option in options if option[0] not in {one.field for one in order}]
    add = say.choice(
        f"{name}.add",
        tr("One more column to order by"),
        left,
        current="",
        chosen=lambda column: taken((*order, OrderedBy(field=column))),
    )
    add.setText(tr("+ column"))
    add.setEnabled(bool(left))
