"""Which section of the guide says why: of every finding, promise and error there is."""

from __future__ import annotations

from keen_trellis.base.errors import (
    ConnectionLostError,
    DeliveryError,
    DocumentError,
    EditError,
    FormulaError,
    KindsDifferError,
    LinkError,
    MissingFileError,
    MissingTableError,
    NotAllowedError,
    NotThereError,
    PasswordError,
    ProgramError,
    SourceError,
    TooLongError,
    TooManyRowsError,
    UnknownColumnError,
    UserError,
    WaitingError,
    WordError,
)
from keen_trellis.base.language import tr

WHY = tr("Why?")

_OF_ERRORS: dict[type[UserError], str] = {
    MissingFileError: "A file or a table is not there",
    MissingTableError: "A file or a table is not there",
    PasswordError: "A password is wanted",
    ConnectionLostError: "A connection was lost",
    NotAllowedError: "Something is not allowed yet",
    SourceError: "A file cannot be read",
    UnknownColumnError: "A column is gone",
    KindsDifferError: "Kinds that differ",
    LinkError: "Two columns cannot be linked",
    FormulaError: "A formula is wrong",
    TooLongError: "A formula is wrong",
    WordError: "The trellis cannot be opened",
    TooManyRowsError: "There would be too many rows",
    WaitingError: "A part waits",
    NotThereError: "It cannot be done there",
    DeliveryError: "A delivery is refused",
    DocumentError: "The trellis cannot be opened",
    EditError: "A change was not made",
    ProgramError: "The program has a fault",
    UserError: "When something is wrong",
}
"""By class; a class that is not here has the section of the one that it is made from."""

A_CHANGE_REFUSED, A_PROMISE_BROKEN = "A change was not made", "A promise is broken"

OF_FINDINGS = {
    "texts differ": "Texts differ",
    "likely pair": "Likely pairs",
    "safe pairs": "Likely pairs",
    "leading zeros": "Leading zeros",
    "kinds differ": "Kinds that differ",
    "date against date-time": "Date against date-time",
    "nothing found": "Nothing is found",
    "better fields": "Better fields",
    "compound link": "Compound link",
    "rows multiply": "Rows multiply",
    "rows vanish": "Rows vanish",
    "blank keys": "Blank keys",
    "stays before": "A tie stands before what it needs",
    "promise": "A promise is broken",
    "lane": "See whether it was read right",
}
"""By the topic of what stands out, up to its first point."""


def topic_of(error: UserError) -> str:
    """Return the heading of the section on an error."""
    return next(_OF_ERRORS[one] for one in type(error).__mro__ if one in _OF_ERRORS)


def topic_of_finding(topic: str) -> str:
    """Return the heading of the section on what stands out."""
    return OF_FINDINGS[topic.partition(".")[0]]
