"""What whoever sits at the window is told and asked, by signals: nobody here knows a widget."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from keen_trellis.base.errors import UserError
from keen_trellis.desktop.help.topics import A_CHANGE_REFUSED, topic_of


class Telling(QObject):
    """Where what is to be said and asked goes.

    Attributes
    ----------
    why : str
        The heading of the guide's section on the latest trouble.

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
    may_update(sentences, go_on)
        Deliveries would change rows of tables: how many is what the sentences say.
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
    may_update = Signal(object, object)
    password_wanted = Signal(object, object)
    typing_ends = Signal()
    help_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.why = ""

    def say(self, sentence: str) -> None:
        """Tell something."""
        self.said.emit(sentence, False)

    def trouble(self, told: str | UserError, why: str = "") -> None:
        """Tell of something that is not as it should be.

        Parameters
        ----------
        told : str or UserError
        why : str, optional
            The heading of the guide's section on it; that on the error where nothing is given.
        """
        self.why = why or (topic_of(told) if isinstance(told, UserError) else A_CHANGE_REFUSED)
        self.said.emit(str(told), True)
