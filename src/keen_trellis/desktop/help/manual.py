"""The guide by its sections: found by their headings, or by words that stand in them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from keen_trellis.base.shipped import SHIPPED

GUIDE = SHIPPED / "guide"
_HEADING = re.compile(r"(#{1,4}) +(.+?)\s*$")
_FENCE = re.compile(r"\s*(```|~~~)")


@dataclass(frozen=True, slots=True)
class Section:
    """One heading of a page with all that stands below it, down to the next of its rank.

    Attributes
    ----------
    page : str
        The file that it stands in.
    title : str
    rank : int
        1 for the heading of a page.
    text : str
        Markdown, with the heading.
    own : str
        What stands before the first heading below it: where its words are looked for.
    """

    page: str
    title: str
    rank: int
    text: str
    own: str

    @property
    def anchor(self) -> str:
        """Return what a link to it ends in, as pages of Markdown are linked to everywhere."""
        return re.sub(r"[^\w\- ]", "", self.title.lower()).replace(" ", "-")


@cache
def sections() -> tuple[Section, ...]:
    """Return every section of the guide, then those of the pages that it links to."""
    pages = sorted(GUIDE.glob("*.md"), key=lambda page: (page.stem != "guide", page.stem))
    return tuple(one for page in pages for one in of_page(page.name, page.read_text("utf-8")))


def of_page(page: str, text: str) -> list[Section]:
    """Return the sections of one page; what looks like a heading inside of code is none."""
    lines = re.sub(r"<!--.*?-->\n?", "", text, flags=re.S).splitlines()
    heads: list[tuple[int, int, str]] = []
    in_code = False
    for number, line in enumerate(lines):
        # a fence opens and closes by the same sign; a line that is one is no heading
        in_code ^= bool(_FENCE.match(line))
        if not in_code and (found := _HEADING.match(line)):
            heads.append((number, len(found[1]), found[2]))
    made = []
    for place, (start, rank, title) in enumerate(heads):
        rest = heads[place + 1 :]
        end = next((number for number, other, _ in rest if other <= rank), len(lines))
        own_end = rest[0][0] if rest else len(lines)
        whole, own = "\n".join(lines[start:end]), "\n".join(lines[start + 1 : own_end])
        made.append(Section(page, title, rank, whole, own))
    return made


def section(title: str) -> Section:
    """Return the first section of a heading; `KeyError` where the guide has none."""
    for one in sections():
        if one.title == title:
            return one
    raise KeyError(title)


def linked(link: str, page: str) -> Section | None:
    """Return where a link of a page leads; None where it leads out of the guide."""
    name, _, anchor = link.partition("#")
    name = name or page
    there = [one for one in sections() if one.page == name]
    if not anchor:
        return there[0] if there else None
    return next((one for one in there if one.anchor == anchor), None)


def found(typed: str) -> Sequence[Section]:
    """Return the sections that have all the words typed, those in whose heading they are first."""
    words = typed.casefold().split()
    if not words:
        return []
    ranked = []
    for number, one in enumerate(sections()):
        title, said = one.title.casefold(), f"{one.title} {one.own}".casefold()
        if all(word in said for word in words):
            in_title = sum(word in title for word in words)
            ranked.append((-in_title, number, one))
    return [one for *_, one in sorted(ranked, key=lambda rank: rank[:2])]
