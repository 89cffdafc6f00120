"""Reports as pictures: bars, lines, points and heat, drawn by matplotlib in given colours."""

from __future__ import annotations

import io
import logging
import math
import warnings
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cache
from importlib import resources
from typing import Any

import numpy as np

from keen_trellis.base.language import tr, with_marks
from keen_trellis.base.words import counted
from keen_trellis.data import GAP, PRESENT
from keen_trellis.report.summing import Line, Summed, number_text

PICTURES = {
    "none": tr("table only"),
    "bars": tr("table and bars"),
    "stacked bars": tr("table and stacked bars"),
    "lines": tr("table and lines"),
    "points": tr("table and points"),
    "heat": tr("table and heat"),
}
"""Every picture, and how a report is said to be shown with it."""

SERIES_AT_MOST, CATEGORIES_AT_MOST = 10, 40
_LONGEST = 26
_FAMILIES = ["Atkinson Hyperlegible Next", "DejaVu Sans"]
"""What words are set in; the second has letters of more scripts."""
_DPI = 100


@dataclass(frozen=True, slots=True)
class Look:
    """The colours of a picture, by their roles."""

    ground: str
    ink: str
    ink_soft: str
    line: str
    series: tuple[str, ...]
    gap: str


PAPER = Look(
    "#FFFFFF",
    "#20302B",
    "#55615C",
    "#DDD9CE",
    ("#1F6B52", "#8A4F9E", "#B7791F", "#3568A8", "#B4502E", "#5B6B1E", "#0F7F8C", "#A33B6B"),
    "#55615C",
)
"""The colours of a picture on paper."""


@dataclass(frozen=True, slots=True, eq=False)
class Mark:
    """A part of a picture that stands for a line of the report.

    Attributes
    ----------
    box : (left, top, right, bottom)
        In pixels of the picture.
    line : Line
    words : str
        What it shows: its groups and its figure.
    """

    box: tuple[float, float, float, float]
    line: Line
    words: str


@dataclass(frozen=True, slots=True, eq=False)
class Drawn:
    """A picture, ready to be shown.

    Attributes
    ----------
    pixels : bytes
        Rows of red, green, blue and how solid, from the top.
    width, height : int
    marks : tuple of Mark
    note : str
        What the picture leaves out; empty for nothing.
    """

    pixels: bytes
    width: int
    height: int
    marks: tuple[Mark, ...]
    note: str


@dataclass(frozen=True, slots=True, eq=False)
class _Series:
    """Values along the categories; None where there is no line."""

    name: str
    state: int
    lines: tuple[Line | None, ...]


def can_be_drawn(summed: Summed) -> bool:
    """Whether there is anything to draw: groups, and a figure that is a number."""
    return summed.n_groups > 0 and _place(summed) is not None and bool(summed.full_lines)


def drawn(summed: Summed, look: Look, width: int, height: int) -> Drawn:
    """Return a picture of a report of so many pixels; `ValueError` where there is none."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    figure, marks, note = _figure(summed, look, width, height)
    canvas: Any = FigureCanvasAgg(figure)
    canvas.draw()
    pixels = bytes(canvas.buffer_rgba())
    return Drawn(pixels, width, height, tuple(_boxes(marks, height)), note)


def written(summed: Summed, look: Look, form: str, width: int = 1000, height: int = 620) -> bytes:
    """Return a picture as a “png” or “svg” file; the same report gives the same bytes.

    What it leaves out stands above it.
    """
    import matplotlib as mpl

    figure, _, note = _figure(summed, look, width, height)
    if note:
        style = {"fontsize": 9, "color": look.ink_soft, "family": _FAMILIES}
        figure.suptitle(note, x=0.01, ha="left", **style)
    buffer = io.BytesIO()
    metadata: dict[str, Any] = {"Date": None} if form == "svg" else {"Software": None}
    with mpl.rc_context({"svg.hashsalt": "keen trellis", "svg.fonttype": "none"}):
        figure.savefig(buffer, format=form, dpi=2 * _DPI, metadata=metadata, facecolor=look.ground)
    return buffer.getvalue()


def _place(summed: Summed) -> int | None:
    """Return the first figure that is a number."""
    for place, kind in enumerate(summed.figure_kinds):
        if kind.is_numeric:
            return place
    return None


def _series(summed: Summed) -> tuple[list[str], list[_Series], str]:
    """Return the categories along the picture, the series above them, and what is left out."""
    lines = summed.full_lines
    several = summed.n_groups > 1
    # The last group makes the series, those before it stand along the axis; a dict keeps the
    # order of lines.
    categories = list(dict.fromkeys(line.codes[:-1] if several else line.codes for line in lines))
    names = {}
    for line in lines:
        shown = line.groups[:-1] if several else line.groups
        name = " · ".join(_short(cell.text) for cell in shown)
        names[line.codes[:-1] if several else line.codes] = name
    note = ""
    if len(categories) > CATEGORIES_AT_MOST:
        note = tr(
            "The first {categories_at_most} of {categories:,} groups are drawn.",
            categories_at_most=CATEGORIES_AT_MOST,
            categories=len(categories),
        )
        categories = categories[:CATEGORIES_AT_MOST]
    if not several:
        found = {line.codes: line for line in lines}
        return (
            [names[one] for one in categories],
            [_Series("", PRESENT, tuple(found.get(one) for one in categories))],
            note,
        )
    by_place = {line.codes: line for line in lines}
    cells = {line.codes[-1]: line.groups[-1] for line in lines}
    kept = list(cells)[:SERIES_AT_MOST]
    if len(cells) > len(kept):
        note = tr(
            "{note} The first {kept} of {cells:,} series are drawn.",
            note=note,
            kept=len(kept),
            cells=len(cells),
        ).strip()
    made = [
        _Series(
            _short(cells[code].text),
            cells[code].state,
            tuple(by_place.get((*one, code)) for one in categories),
        )
        for code in kept
    ]
    # a gap comes last, whatever category it is first met in
    made.sort(key=lambda one: one.state)
    return [names[one] for one in categories], made, note


def _short(text: str) -> str:
    """Return a name as long as there is room for; what is pointed at says all of it."""
    line = " ".join(text.split())
    return line if len(line) <= _LONGEST else f"{line[: _LONGEST - 1]}…"


_LARGEST_DRAWN = 1e200
_LETTER = 6.2
"""About how many pixels a letter of the ticks takes."""

_Shape = tuple[Any, Line, str]
"""What was drawn, the line that it stands for, and what it says."""


def _figure(summed: Summed, look: Look, width: int, height: int) -> tuple[Any, list[_Shape], str]:
    place = _place(summed)
    if place is None or not summed.n_groups:
        raise ValueError("This report has nothing to draw.")
    _know_fonts()
    from matplotlib.figure import Figure

    categories, series, note = _series(summed)
    shown = [line for one in series for line in one.lines if line is not None]
    if beyond := sum(_is_beyond(line.figures[place]) for line in shown):
        note = tr(
            "{note} {figures} too large to be drawn.", note=note, figures=counted(beyond, "figure")
        ).strip()
    size = width / _DPI, height / _DPI
    figure: Any = Figure(figsize=size, dpi=_DPI, facecolor=look.ground, layout="constrained")
    axes = figure.add_subplot()
    shapes = _draw(axes, summed, place, categories=categories, series=series, look=look)
    _dress(figure, axes, summed, place, look=look, n_series=len(series))
    return figure, shapes, note


def _draw(
    axes: Any,
    summed: Summed,
    place: int,
    categories: Sequence[str],
    series: Sequence[_Series],
    look: Look,
) -> list[_Shape]:
    picture = summed.report.picture
    at = np.arange(len(categories))
    if picture == "heat":
        return _draw_heat(axes, summed, place, categories=categories, series=series, look=look)
    shapes: list[_Shape] = []
    # What is stacked above zero and below it grows apart.
    below = np.zeros(len(categories)), np.zeros(len(categories))
    # Bars of one category fill 0.8 of the room between two, and leave the rest as air.
    share = 0.8 / max(len(series), 1)
    for number, one in enumerate(series):
        values = np.array([_value(line, place) for line in one.lines])
        style = _style(one, number, look)
        words = [_words(summed, line, place) for line in one.lines]
        if picture in ("lines", "points"):
            is_line = picture == "lines"
            axes.plot(
                at,
                values,
                color=look.gap if one.state == GAP else style["color"],
                marker="o",
                markersize=6,
                linewidth=2 if is_line else 0,
                linestyle="--" if one.state == GAP and is_line else "-",
                label=one.name or None,
            )
            for x, value, line, says in zip(at, values, one.lines, words, strict=True):
                if line is not None and not np.isnan(value):
                    shapes.append(((axes, x, value), line, says))
            continue
        there = np.array([line is not None for line in one.lines])
        heights = np.nan_to_num(values)[there]
        if picture == "stacked bars":  # what is below zero hangs down
            base = np.where(heights >= 0, below[0][there], below[1][there])
            below[0][there] += np.maximum(heights, 0)
            below[1][there] += np.minimum(heights, 0)
            bars = axes.bar(at[there], heights, 0.7, bottom=base, label=one.name or None, **style)
        else:
            left = at[there] - 0.4 + share * (number + 0.5)
            bars = axes.bar(left, heights, share * 0.92, label=one.name or None, **style)
        held = [(line, says) for line, says in zip(one.lines, words, strict=True) if line]
        shapes += [(bar, line, says) for bar, (line, says) in zip(bars, held, strict=True)]
    axes.set_xticks(at, categories)
    axes.set_xlim(-0.6, max(len(categories), 1) - 0.4)
    return shapes


def _draw_heat(
    axes: Any,
    summed: Summed,
    place: int,
    categories: Sequence[str],
    series: Sequence[_Series],
    look: Look,
) -> list[_Shape]:
    from matplotlib.colors import LinearSegmentedColormap
    from matplotlib.patches import Rectangle

    values = np.array([[_value(line, place) for line in one.lines] for one in series])
    held = values[~np.isnan(values)]
    low, high = (float(held.min()), float(held.max())) if len(held) else (0.0, 1.0)
    colours = LinearSegmentedColormap.from_list("heat", [look.line, look.series[0]])
    shapes: list[_Shape] = []
    figures = [
        summed.figure_text(place, x.figures[place]) for one in series for x in one.lines if x
    ]
    room = axes.figure.get_size_inches()[0] * _DPI * 0.85 / max(len(categories), 1)
    has_room = max(map(len, figures), default=0) * _LETTER < room
    for y, one in enumerate(series):
        for x, line in enumerate(one.lines):
            if line is None or np.isnan(values[y, x]):
                continue
            depth = (values[y, x] - low) / (high - low or 1)
            cell = Rectangle((x - 0.48, y - 0.46), 0.96, 0.92, facecolor=colours(depth))
            axes.add_patch(cell)
            shapes.append((cell, line, _words(summed, line, place)))
            if has_room:
                axes.text(
                    x,
                    y,
                    summed.figure_text(place, line.figures[place]),
                    ha="center",
                    va="center",
                    fontsize=9,
                    family=_FAMILIES,
                    color=_readable(colours(depth)),
                )
    axes.set_xticks(range(len(categories)), categories)
    axes.set_yticks(range(len(series)), [one.name for one in series])
    axes.set_xlim(-0.5, len(categories) - 0.5)
    axes.set_ylim(len(series) - 0.5, -0.5)
    return shapes


def _readable(ground: Sequence[float]) -> str:
    """Return black or white, whichever stands out more on a colour (WCAG 2.2, luminance)."""
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in ground[:3]]
    bright = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    return "black" if (bright + 0.05) / 0.05 > 1.05 / (bright + 0.05) else "white"


def _value(line: Line | None, place: int) -> float:
    """Return a figure as it is drawn; not a number where there is none, or none that can be."""
    value = None if line is None else line.figures[place]
    if value is None or not isinstance(value, int | float | Decimal) or _is_beyond(value):
        return np.nan
    return float(value)


def _is_beyond(value: Any) -> bool:
    """Whether a figure is infinite, or so large that no axis reaches to it."""
    return isinstance(value, int | float | Decimal) and abs(float(value)) > _LARGEST_DRAWN


def _words(summed: Summed, line: Line | None, place: int) -> str:
    if line is None:
        return ""
    groups = " · ".join(cell.text for cell in line.groups)
    title = summed.report.figures[place].title
    value = summed.figure_text(place, line.figures[place])
    return f"{groups}: {value} ({title}, {counted(line.rows, 'row')})"


def _style(one: _Series, number: int, look: Look) -> dict[str, Any]:
    if one.state == GAP:
        return {"color": look.ground, "edgecolor": look.gap, "hatch": "////", "linewidth": 1}
    return {"color": look.series[number % len(look.series)]}


def _tick_text(value: float, ticks: Sequence[float], is_share: bool) -> str:
    """Return the text of a tick: every one has as many digits as the step between them needs."""
    step = float(ticks[1] - ticks[0]) if len(ticks) > 1 else 1.0
    # A hair more than the logarithm: of 0.001 it is −2.9999999999999996.
    digits = max(0, -math.floor(math.log10(step) + 1e-9)) if step > 0 else 0
    if is_share or digits > 4 or abs(value) >= 1e15:
        return number_text(float(value), is_share)
    return with_marks(f"{round(float(value), digits) + 0.0:,.{digits}f}")  # and never “-0”


def _dress(figure: Any, axes: Any, summed: Summed, place: int, look: Look, n_series: int) -> None:
    """Give the axes their colours and their room: nothing but what is read."""
    from matplotlib.ticker import FuncFormatter, MaxNLocator

    is_heat = summed.report.picture == "heat"
    is_share = summed.report.figures[place].shown == "share of all"
    axes.set_facecolor(look.ground)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(look.line)
    axes.tick_params(colors=look.ink_soft, length=0, labelsize=9, pad=6, labelfontfamily=_FAMILIES)
    if not is_heat:
        axes.yaxis.set_major_locator(MaxNLocator(6, steps=(1, 2, 5, 10)))
        axes.yaxis.set_major_formatter(
            FuncFormatter(lambda value, _: _tick_text(value, axes.get_yticks(), is_share))
        )
        axes.grid(axis="y", color=look.line, linewidth=0.8)
        axes.set_axisbelow(True)
        axes.margins(y=0.08)
    longest = max((len(text.get_text()) for text in axes.get_xticklabels()), default=0)
    if longest * len(axes.get_xticklabels()) * _LETTER > figure.get_size_inches()[0] * _DPI * 0.85:
        for text in axes.get_xticklabels():
            text.set_rotation(40)
            text.set_ha("right")
    if n_series > 1 and not is_heat:
        figure.legend(
            loc="outside lower left",
            ncols=min(n_series, 5),
            frameon=False,
            prop={"family": _FAMILIES, "size": 9},
            labelcolor=look.ink,
            handlelength=1.1,
            handleheight=1.0,
        )
    figure.get_layout_engine().set(w_pad=0.12, h_pad=0.12)


def _boxes(shapes: Sequence[_Shape], height: int) -> list[Mark]:
    """Return where what was drawn stands in the picture, from its top left."""
    marks = []
    for shape, line, words in shapes:
        if isinstance(shape, tuple):
            axes, x, y = shape
            # Pixels from the lower left, as the library counts; a picture on a page counts from
            # above.
            px, py = axes.transData.transform((x, y))
            box = (px - 7, height - py - 7, px + 7, height - py + 7)
        else:
            extent = shape.get_window_extent()
            box = (extent.x0, height - extent.y1, extent.x1, height - extent.y0)
            if box[3] - box[1] < 6:  # what is next to nothing can be pointed at all the same
                box = (box[0], box[1] - 3, box[2], box[3] + 3)
        marks.append(Mark(tuple(map(float, box)), line, words))  # type: ignore[arg-type]
    return marks


@cache
def _know_fonts() -> None:
    """Make the bundled fonts known, and have every sign of a value stay what it is."""
    logging.getLogger("matplotlib").setLevel(logging.ERROR)  # it tells of its own cache
    import matplotlib as mpl
    from matplotlib import font_manager

    mpl.rcParams["text.parse_math"] = False  # “$5 to $9” is no formula
    warnings.filterwarnings("ignore", r"Glyph .* missing from", UserWarning)  # drawn as a box
    folder = resources.files("keen_trellis") / "desktop" / "fonts"
    for file in folder.iterdir():
        if file.name.endswith(".ttf"):
            with resources.as_file(file) as path:
                font_manager.fontManager.addfont(path)
