"""The step that replaces values, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "replace",
    "Replace",
    glyph="⇄",
    offer="Replace values",
    tip="Put other values in place of some, by a list.",
    page="parts.replace.replace_page.ReplacePage",
)
