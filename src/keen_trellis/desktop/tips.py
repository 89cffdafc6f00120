"""Tips: what is said of a thing while the pointer rests on it."""

from __future__ import annotations

import html


def as_it_is(text: str) -> str:
    """Return a tip that shows a text letter by letter: from data it may look like markup."""
    if "<" not in text and "&" not in text:
        return text
    return f"<p style='white-space: pre-wrap'>{html.escape(text)}</p>"
