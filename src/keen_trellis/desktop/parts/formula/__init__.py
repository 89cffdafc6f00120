"""The step that works out columns, in the desktop."""

from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "formula",
    "Formula",
    glyph="ƒ",
    offer="New column by a formula",
    tip="Work out a column from the others.",
    page="parts.formula.formula_page.FormulaPage",
)
