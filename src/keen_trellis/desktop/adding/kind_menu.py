"""The menu of kinds that a column can be read as."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu, QWidget

from keen_trellis.base.language import tr
from keen_trellis.data import Kind
from keen_trellis.document import Source


def offer_kinds(
    parent: QWidget,
    source: Source,
    column: str,
    current: Kind,
    at: QPoint,
    chosen: Callable[[Source], object],
) -> QMenu:
    """Offer the kinds for a column; `chosen` takes the source with the one that was picked."""
    menu = QMenu(parent)
    menu.setObjectName("kinds")
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for kind in Kind:
        action = menu.addAction(tr(kind))
        action.setObjectName(f"kind.{kind.name.lower()}")
        action.setCheckable(True)
        action.setChecked(kind is current)
        action.triggered.connect(lambda _=False, k=kind: chosen(source.with_kind(column, k)))
    if column in source.kinds:
        menu.addSeparator()
        again = menu.addAction(tr("As found in the values"))
        again.setObjectName("kind.found")
        again.triggered.connect(lambda: chosen(source.with_kind(column, None)))
    menu.popup(at)
    return menu
