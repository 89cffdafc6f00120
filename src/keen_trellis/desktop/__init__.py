"""The window: the only part of the program that knows Qt."""

import builtins

# With Qt comes an `import` that reads the source of every module after it, to see whether names are
# wanted in snake case there. Nobody here wants that, and the window would wait for it.
_plain = builtins.__import__
import PySide6.QtCore  # noqa: E402, F401  between the two lines that keep what it replaces

builtins.__import__ = _plain
