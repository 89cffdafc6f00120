"""What whoever sits at the window is told and asked, by signals: nobody here knows a widget."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class Telling(QObject):
    """Where what is to be said and asked goes.

    Signals
    -------
    said(sentence, is_trouble)
        Something to tell, without a box in the way.
    crashed(error)
        A fault of the program.
    leave_wanted(wants)
        The trellis wants what nobody has allowed to it yet.
    may_replace(paths, go_on)
        Deliveries would replace files that they did not write as they are now.
    password_wanted(server, go_on)
        A server wants a password; `go_on` is called once it is given.
    typing_ends
        What is still being typed is to be taken now: it is about to be saved, written, or left.
    help_wanted(heading)
        Somebody asks why; the section of the guide under a heading tells it.
    """

    said = Signal(str, bool)
    crashed = Signal(object)
    leave_wanted = Signal(object)
    may_replace = Signal(object, object)
    password_wanted = Signal(object, object)
    typing_ends = Signal()
    help_wanted = Signal(str)

    def say(self, sentence: str) -> None:
        """Tell something."""
        self.said.emit(sentence, False)

    def trouble(self, sentence: str) -> None:
        """Tell of something that is not as it should be."""
        self.said.emit(sentence, True)
