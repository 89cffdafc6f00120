"""The step that works out columns, in the desktop."""

from keen_trellis.base.language import tr
from keen_trellis.desktop.bench.page import step_view

VIEW = step_view(
    "formula",
    tr("Formula"),
    glyph="ƒ",
    offer=tr("New column by a formula"),
    tip=tr("Work out a column from the others."),
    page="parts.formula.formula_page.FormulaPage",
)
