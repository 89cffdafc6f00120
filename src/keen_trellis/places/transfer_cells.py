"""Cells on their way to a place and back: blanks and gaps told apart, decimals as they fit.

What a cluster's workers need of this package begins here: nothing is imported that they may lack.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from keen_trellis.base.errors import NotThereError
from keen_trellis.base.language import tr
from keen_trellis.data import GAP, Column, Kind, from_arrow
from keen_trellis.sql.digits import EXACT_BEFORE, EXACT_BEHIND


def sent(held: Column, name: str) -> pa.Array:
    """Return a column as Spark takes it: what the client has types for.

    Raises
    ------
    NotThereError
        A value has more digits than a decimal there.
    """
    array = held.to_arrow()
    if held.kind is Kind.EXACT:
        try:
            return array.cast(pa.decimal128(EXACT_BEFORE + EXACT_BEHIND, EXACT_BEHIND))
        except pa.ArrowInvalid as error:
            raise NotThereError(
                tr(
                    "“{name}” has more digits than a decimal of Spark has place for: "
                    "{exact_before} before the mark and {exact_behind} behind it.",
                    name=name,
                    exact_before=EXACT_BEFORE,
                    exact_behind=EXACT_BEHIND,
                ),
                tr("Round it by a step before, or run the trellis on this machine."),
            ) from error
    if held.kind is Kind.TIME:
        return array.cast(pa.int64())
    if held.kind is Kind.TEXT:
        return array.cast(pa.string())
    return array


def fetched(array: pa.Array | pa.ChunkedArray, kind: Kind, name: str) -> Column:
    """Return an array of Spark as a column of a kind.

    Raises
    ------
    NotThereError
        The values came back in another kind.
    """
    if kind is Kind.TIME:
        array = array.cast(pa.int64()).cast(pa.time64("us"))
    if kind is Kind.EXACT and not pa.types.is_decimal(array.type):
        array = array.cast(pa.decimal128(38, 0))
    if kind is Kind.INTEGER:
        array = array.cast(pa.int64())
    if kind is Kind.DATE_TIME:
        array = array.cast(pa.timestamp("us"))
    column = from_arrow(array)
    if column.kind is not kind:
        raise NotThereError(
            tr(
                "“{name}” came back as {kind}, and is {kind_2} here.",
                name=name,
                kind=column.kind,
                kind_2=kind,
            ),
            tr("Run the part on this machine."),
        )
    return narrowest(column)


def narrowest(values: Column) -> Column:
    """Return exact decimals with no more digits behind the mark than any of them needs.

    A place may add zeros there, which leave less room before the mark in what is worked out.
    """
    if values.kind is not Kind.EXACT or not values.scale:
        return values
    # by its digits: Arrow's own way from one scale to a smaller one refuses some that would fit
    texts = pc.utf8_rtrim(values.texts(), "0")
    behind = pc.subtract(pc.binary_length(texts), pc.add(pc.find_substring(texts, "."), 1))
    scale = pc.max(behind).as_py() or 0
    made = from_arrow(pc.utf8_rtrim(texts, ".").cast(pa.decimal128(38, scale)))
    return made if values.state is None else replace(made, state=values.state)


def with_gaps(values: Column, gaps: Column | None) -> Column:
    """Return values whose nulls are gaps where a mark says so."""
    if gaps is None or values.state is None:
        return values
    state = np.where((values.state != 0) & gaps.values, GAP, values.state).astype(np.uint8)
    return Column(
        values.kind, values.values, state, dictionary=values.dictionary, scale=values.scale
    )


def marks(values: Column) -> Column:
    """Return which values are gaps."""
    is_gap = np.zeros(len(values), np.bool_) if values.state is None else values.state == GAP
    return Column(Kind.BOOLEAN, is_gap)
