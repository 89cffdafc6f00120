"""The step that replaces values, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "replace",
    tr("Replace"),
    glyph="⇄",
    offer=tr("Replace values"),
    tip=tr("Put other values in place of some, by a list."),
    page="parts.replace.replace_page.ReplacePage",
)
