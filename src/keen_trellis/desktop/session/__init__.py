"""What the window works on: the trellis, its undo stack, its work in lanes of jobs, its files."""

from keen_trellis.desktop.session.session import Session

__all__ = ["Session"]
