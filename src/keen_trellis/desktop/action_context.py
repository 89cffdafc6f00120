"""What an action may ask of the window that it is triggered in."""

from __future__ import annotations

from typing import Protocol

from keen_trellis.desktop.adding.adding import Adding
from keen_trellis.desktop.bench.bench import Bench
from keen_trellis.desktop.documents import Documents
from keen_trellis.desktop.map.map_view import MapView
from keen_trellis.desktop.menus import Menus
from keen_trellis.desktop.session import Session


class Doing(Protocol):
    """The session that is worked on, and those who ask and show."""

    session: Session
    documents: Documents
    adding: Adding
    menus: Menus
    map: MapView
    bench: Bench

    def rename_trellis(self) -> None:
        """Let the trellis's name be typed over."""

    def show_join_types(self) -> None:
        """Open the table of what every join type would give."""

    def link_by_formula(self) -> None:
        """Ask for a formula that links the selected join."""

    def show_view(self, name: str) -> None:
        """Show the trellis, the report, or with an empty name the one that is not shown."""

    def export_report(self) -> None:
        """Save the picture of the report that is shown."""

    def offer_places(self) -> None:
        """Offer the places where the trellis can run."""

    def find_action(self) -> None:
        """Open the action finder."""

    def switch_local_reading(self) -> None:
        """Show numbers and dates as they are written here, or as values are everywhere."""

    def show_help(self) -> None:
        """Show the guide where it speaks of what is selected."""

    def begin_tour(self) -> None:
        """Open the demo with the tour, at the stop where it was left."""

    def show_keys(self) -> None:
        """Show every action that has keys."""

    def show_log(self) -> None:
        """Show what the program did, when, and how long it took."""

    def show_settings(self) -> None:
        """Show everything that can be set on this machine."""

    def switch_theme(self) -> None:
        """Show the window in the other set of colours."""

    def close(self) -> bool:
        """Close the window, unless somebody wants to stay; tell whether it is closed."""
