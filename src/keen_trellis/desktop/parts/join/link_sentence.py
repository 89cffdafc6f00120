"""The sentence of a join: which rows belong together, every part of it a choice."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

from keen_trellis.base.errors import UserError
from keen_trellis.base.language import grouped_digits, tr
from keen_trellis.base.words import counted, listed, percent
from keen_trellis.data import Kind, Table
from keen_trellis.desktop.bench.sentence import Sentence, tell_span
from keen_trellis.desktop.bench.table_model import Origins
from keen_trellis.desktop.bench.tie_kind import say_kind
from keen_trellis.desktop.session import Session
from keen_trellis.desktop.theme import LaneColours, value_font
from keen_trellis.desktop.tips import as_it_is
from keen_trellis.document import Lane, edits
from keen_trellis.document.items import JoinItem, LinkedFields
from keen_trellis.plan.link import OrderField
from keen_trellis.plan.operators import NEAREST, OPERATOR_WORDS
from keen_trellis.plan.text_rules import RULE_WORDS, TEXT_CHOICES, TextRule

_PARTNERS = {
    "every": tr("every match"),
    "first": tr("the first match"),
    "last": tr("the last match"),
    "only": tr("the match if it is the only one"),
}
_BLANKS = {"never": tr("never match"), "match": tr("match blanks")}
_ORDERS = {"up": tr("from the least"), "down": tr("from the greatest")}
_STRICT = {"no": tr("equal counts"), "yes": tr("equal does not count")}
_UNITS = {Kind.DATE: tr("days"), Kind.DATE_TIME: tr("seconds"), Kind.TIME: tr("seconds")}
_DISTANCE_WIDTH = 76
_LOOKED_AT, _EXAMPLE = 30, 24
"""The rows in which an example of a column is looked for, and its letters at most."""

_Fields = tuple[tuple[str, Kind], ...]


class LinkSentence(Sentence):
    """For each row of one lane, which rows of the other are taken."""

    def __init__(self, session: Session) -> None:
        super().__init__("match.sentence")
        self._session = session

    def show_link(self, lane: Lane, item: JoinItem, origins: Origins) -> None:
        """Say the link of a join."""
        other = self._session.trellis.lane(item.lane)
        told = _Told(self, self._session, item, (lane, other), origins)
        linked = item.id, item.link, item.match_link()  # bays and columns are said elsewhere
        key = (linked, lane.name, other.name, told.left_fields, told.right_fields)
        self.say(key, told.tell)


class _Told:
    """One telling of the sentence; what is chosen in it changes the join that it is about."""

    def __init__(
        self,
        sentence: Sentence,
        session: Session,
        item: JoinItem,
        lanes: tuple[Lane, Lane],
        origins: Origins,
    ) -> None:
        self._sentence, self._session, self._item = sentence, session, item
        self._names = tuple(lane.name for lane in lanes)
        self._colours: tuple[LaneColours, ...] = tuple(origins.colours[x.id] for x in lanes)
        trellis, rows = session.trellis, session.results.rows
        sides = (trellis.before(item.id), *map(trellis.taken_after, item.takes()))
        self.left_fields, self.right_fields = (_fields(rows.get(side)) for side in sides)

    def tell(self) -> None:
        """Add the whole sentence."""
        say_kind(self._sentence, self._session, "join")
        if self._item.cross:
            self._tell_cross()
            return
        self._tell_whose_rows()
        for place, field in enumerate(self._item.link):
            if place:
                self._sentence.word(tr("and"))
            self._tell_field(place, field)
        self._offer_field()
        self._tell_rest()

    def _tell_cross(self) -> None:
        self._sentence.word(tr("Every row of"))
        self._name(0)
        self._sentence.word(tr("stands beside every row of"))
        self._name(1)

    def _tell_whose_rows(self) -> None:
        """For each row of the side that takes partners: which one of several, in which order."""
        item, sentence = self._item, self._sentence
        own = 0 if item.partner_for == "left" else 1
        sentence.word(tr("For each row of"))
        if item.partner == "every":
            self._name(own)
        else:  # it matters whose rows get one partner
            names = dict(zip(("left", "right"), self._names, strict=True))
            says, ink = tr("Whose rows take one match"), self._colours[own].ink
            side = item.partner_for
            sentence.choice(
                "link.partner_for",
                says,
                names,
                current=side,
                chosen=self._take_side,
                font=None,
                ink=ink,
            )
        sentence.word(tr("take"))
        sentence.choice(
            "link.partner",
            tr("Which match"),
            _PARTNERS,
            current=item.partner,
            chosen=self._take_partner,
        )
        if item.partner in ("first", "last"):
            self._tell_order(self.right_fields if own == 0 else self.left_fields)
        sentence.word(tr("in"))
        self._name(1 - own)
        sentence.word(tr("where"))

    def _tell_order(self, fields: _Fields) -> None:
        item, sentence = self._item, self._sentence
        for place, one in enumerate(item.order):
            sentence.word(tr("by") if not place else tr("then by"))
            name = f"link.order.{place}"
            says = tr("What the matches are put in order by")
            sentence.choice(
                f"{name}.field",
                says,
                _options(fields),
                current=one.field,
                chosen=partial(self._order_by, place),
                font=value_font(),
            )
            sentence.choice(
                f"{name}.direction",
                tr("The direction"),
                _ORDERS,
                current="down" if one.descending else "up",
                chosen=partial(self._turn_order, place),
            )
            says = tr("Take the order by {field} out", field=one.field)
            sentence.button("×", f"{name}.remove", says, partial(self._remove_order, place))
        add = sentence.choice(
            "link.order.add",
            tr("Put the matches in order by"),
            _options(fields),
            current="",
            chosen=self._add_order,
        )
        add.setText(tr("+ order") if item.order else tr("in the order of the rows"))
        add.setEnabled(bool(fields))

    def _tell_field(self, place: int, field: LinkedFields) -> None:
        sentence, name = self._sentence, f"link.{place}"
        self._field_choice(
            place, "left", field.left, fields=self.left_fields, colours=self._colours[0]
        )
        sentence.choice(
            f"{name}.operator",
            tr("How {left} and {right} are compared", left=field.left, right=field.right),
            [(one, words, tr(one)) for one, words in OPERATOR_WORDS.items()],
            current=field.operator,
            chosen=lambda value: self._set_field(place, operator=value),
        )
        self._field_choice(
            place, "right", field.right, fields=self.right_fields, colours=self._colours[1]
        )
        if field.operator in NEAREST:
            self._tell_nearness(place, field)
        self._tell_conversion(place, field)
        self._tell_span(place, field)
        if len(self._item.link) > 1:
            says = tr("Take {left} and {right} out of the link", left=field.left, right=field.right)
            sentence.button("×", f"{name}.remove", says, lambda: self._remove_field(place))

    def _field_choice(
        self, place: int, side: str, current: str, fields: _Fields, colours: LaneColours
    ) -> None:
        made = self._sentence.choice(
            f"link.{place}.{side}",
            tr("The {side} link field", side=tr(side)),
            _options(fields),
            current=current,
            chosen=lambda name: self._set_field(place, **{side: name}),
            font=value_font(),
            ink=colours.ink,
        )
        made.remark = partial(self._field_remark, place, side, dict(fields))
        made.near.connect(self._session.looking.find_shares)
        # The connection ends with the choice, which is deleted when the sentence is said anew.
        self._session.looking.noticed.connect(made.renew)

    def _field_remark(self, place: int, side: str, kinds: dict[str, Kind], name: str) -> str:
        """Return what a column would find, its kind, and the first value that it has."""
        share = self._session.looking.share(place, side, name)
        found = tr("{percent} found · ", percent=percent(share)) if share is not None else ""
        return f"{found}{self._kind_and_example(0 if side == 'left' else 1, kinds, name)}"

    def _kind_and_example(self, side: int, kinds: dict[str, Kind], name: str) -> str:
        kind = kinds.get(name)
        tables = self._session.results.sides(self._item.id)
        table = tables[side] if side < len(tables) else None
        if kind is None or not isinstance(table, Table) or name not in table.columns:
            return tr(kind) if kind is not None else ""
        first = table.window(0, _LOOKED_AT).column(name).texts().to_pylist()
        example = next((text for text in first if text), "")
        return f"{tr(kind)} · {_shortened(example)}" if example else tr(kind)

    def _tell_nearness(self, place: int, field: LinkedFields) -> None:
        """How far the nearest may be, and whether an equal value is near."""
        sentence, name = self._sentence, f"link.{place}"
        kind = dict(self.left_fields).get(field.left)
        distance = "" if field.within is None else f"{field.within:g}"
        sentence.word(tr("within"))
        typed = sentence.field(
            f"{name}.within",
            tr("The largest distance in {units}", units=_UNITS[kind])
            if kind in _UNITS
            else tr("The largest distance"),
            distance,
            _DISTANCE_WIDTH,
            lambda text: self._set_distance(place, text),
        )
        typed.setPlaceholderText(tr("any"))
        if kind in _UNITS:
            sentence.word(_UNITS[kind])
        sentence.choice(
            f"{name}.strict",
            tr("Whether an equal value is near"),
            _STRICT,
            current="yes" if field.strict else "no",
            chosen=lambda value: self._set_field(place, strict=value == "yes"),
        )

    def _tell_conversion(self, place: int, field: LinkedFields) -> None:
        """Where kinds differ, as what they are compared: seen, and chosen."""
        kinds = (dict(self.left_fields).get(field.left), dict(self.right_fields).get(field.right))
        if field.compare_as is None and (None in kinds or kinds[0] is kinds[1]):
            return
        as_they_are = [("", tr("as they are"), " · ".join(tr(kind) for kind in kinds if kind))]
        self._sentence.word(tr("compared"))
        self._sentence.choice(
            f"link.{place}.compare_as",
            tr("As what both sides are compared"),
            [*as_they_are, *((kind.value, tr("as {kind}", kind=kind), "") for kind in Kind)],
            current=field.compare_as or "",
            chosen=lambda value: self._set_field(place, compare_as=Kind(value) if value else None),
        )

    def _tell_span(self, place: int, field: LinkedFields) -> None:
        """Of dates, by which span of the calendar they are compared."""
        kinds = (dict(self.left_fields).get(field.left), dict(self.right_fields).get(field.right))
        says = tr("By which span of the calendar both sides are compared")
        chosen = lambda value: self._set_field(place, span=value or None)  # noqa: E731
        tell_span(self._sentence, f"link.{place}.span", says, kinds, field.span, chosen)

    def _offer_field(self) -> None:
        is_first = not self._item.link
        text, look = (tr("choose fields"), "main") if is_first else (tr("+ field"), "soft")
        add = self._sentence.button(
            text, "link.add", tr("Add a pair of fields"), self._add_field, look
        )
        if not self.left_fields or not self.right_fields:
            missing = self._names[1] if self.left_fields else self._names[0]
            add.setEnabled(False)
            add.setToolTip(
                as_it_is(
                    tr(
                        "The columns of {missing} are not known: see to what is before.",
                        missing=missing,
                    )
                )
            )
        says = tr("Link by a column that a formula works out, such as two names put together")
        self._sentence.button(tr("+ formula"), "link.formula", says, self._ask_formula, "soft")

    def _ask_formula(self) -> None:
        self._session.asked.emit("tie.formula")

    def _tell_rest(self) -> None:
        """How text compares, what blanks do, and which values were declared the same."""
        item, sentence = self._item, self._sentence
        rules = dict(TEXT_CHOICES)
        current = next((words for words, chosen in rules.items() if chosen == item.text), None)
        if current is None:
            current = tr("ignoring {text}", text=listed([RULE_WORDS[rule] for rule in item.text]))
            rules[current] = item.text
        sentence.word(tr("Text compares"))
        made = sentence.choice(
            "link.text",
            tr("How text compares"),
            {words: tr(words) for words in rules},
            current=current,
            chosen=lambda words: self._change(text=rules[words]),
        )
        made.remark = lambda words: self._gain(rules[words])
        sentence.word(tr("· blanks"))
        sentence.choice(
            "link.blanks",
            tr("Blanks"),
            _BLANKS,
            current=item.blanks,
            chosen=lambda value: self._change(blanks=value),
        )
        if item.pairs:
            sentence.word(
                tr("· {pairs} of values the same", pairs=counted(len(item.pairs), "pair"))
            )

    def _gain(self, rules: tuple[TextRule, ...]) -> str:
        """Return how many more rows are found with some rules, as far as it is known."""
        gains = self._session.looking.text_gains
        return f"+{grouped_digits(gains[rules])}" if rules in gains else ""

    def _name(self, side: int) -> None:
        self._sentence.word(self._names[side], self._colours[side].ink)

    # what is changed

    def _change(self, **changes: Any) -> None:
        self._session.do(edits.TakeLink(self._item.id, replace(self._item.match_link(), **changes)))

    def _take_side(self, side: str) -> None:
        self._change(partner_for=side, order=())  # an order is by fields of the other side

    def _take_partner(self, partner: str) -> None:
        # Only “the first” and “the last” need an order; kept on others, it would be refused.
        order = self._item.match_link().order if partner in ("first", "last") else ()
        self._change(partner=partner, order=order)

    def _order_by(self, place: int, field: str) -> None:
        self._put_order(place, replace(self._item.match_link().order[place], field=field))

    def _turn_order(self, place: int, way: str) -> None:
        one = self._item.match_link().order[place]
        self._put_order(place, replace(one, descending=way == "down"))

    def _put_order(self, place: int, *instead: OrderField) -> None:
        order = self._item.match_link().order
        self._change(order=(*order[:place], *instead, *order[place + 1 :]))

    def _remove_order(self, place: int) -> None:
        self._put_order(place)

    def _add_order(self, field: str) -> None:
        self._change(order=(*self._item.match_link().order, OrderField(field)))

    def _set_field(self, place: int, **changes: Any) -> None:
        link = list(self._item.link)
        settings = {**dict(link[place]), **changes}
        if settings["operator"] not in NEAREST:  # these say nothing of other comparisons
            settings |= {"strict": False, "within": None}
        try:
            link[place] = LinkedFields(**settings)
        except ValueError as error:
            self._session.telling.trouble(str(error))
            return
        self._session.do(edits.SetLink(self._item.id, tuple(link)))

    def _set_distance(self, place: int, text: str) -> None:
        try:
            # A comma is what half of the world writes; digits are not grouped in a distance.
            within = float(text.replace(",", ".")) if text.strip() else None
        except ValueError:
            self._session.telling.trouble(
                tr("“{text}” is no distance. Type a number, or nothing.", text=text)
            )
            return
        if within is not None and not 0 <= within < float("inf"):
            self._session.telling.trouble(
                tr("“{text}” is no distance. Type a number from 0 on.", text=text)
            )
            return
        self._set_field(place, within=within)

    def _add_field(self) -> None:
        """Add the first pair of like-named fields that is not linked yet, else of one kind."""
        used = {(field.left, field.right) for field in self._item.link}
        pairs = [
            (a, b, (a != b, ka != kb))
            for a, ka in self.left_fields
            for b, kb in self.right_fields
            if (a, b) not in used
        ]
        if pairs:
            # (other name, other kind): false sorts before true, so a pair of one name and one
            # kind is first.
            a, b, _ = min(pairs, key=lambda pair: pair[2])
            link = (*self._item.link, LinkedFields(left=a, right=b))
            self._session.do(edits.SetLink(self._item.id, link))

    def _remove_field(self, place: int) -> None:
        self._session.do(edits.RemoveLinkField(self._item.id, place))


def _fields(table: Table | UserError | None) -> _Fields:
    if not isinstance(table, Table):
        return ()
    return tuple((field.name, field.kind) for field in table.fields)


def _options(fields: _Fields) -> list[tuple[str, str, str]]:
    return [(name, name, tr(kind)) for name, kind in fields]


def _shortened(text: str) -> str:
    plain = " ".join(text.split())
    return plain if len(plain) <= _EXAMPLE else f"{plain[: _EXAMPLE - 1]}…"
