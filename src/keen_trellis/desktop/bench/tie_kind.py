"""The first word of a tie's sentence: what it is, to be made another kind."""

from __future__ import annotations

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.sentence import Sentence
from keen_trellis.desktop.session import Session

_KINDS = {"join": tr("Join"), "blend": tr("Blend"), "stack": tr("Stack")}


def say_kind(sentence: Sentence, session: Session, current: str) -> None:
    """Begin a sentence with the kind of its tie.

    Parameters
    ----------
    current : "join", "blend" or "stack"
    """
    sentence.choice(
        "tie.kind",
        tr("What kind of tie it is"),
        _KINDS,
        current=current,
        chosen=session.building.change_tie,
    )
