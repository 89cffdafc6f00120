"""What ships with the program and is no code: the demo, the files for the desktop, the manual."""

from __future__ import annotations

import shutil
from pathlib import Path

SHIPPED = Path(__file__).parents[1] / "shipped"


def demo_in(folder: Path) -> Path:
    """Return the demo's trellis in a folder that may be written to, made there where it is not yet.

    What is there already stays as it is: somebody may have worked on it.

    Parameters
    ----------
    folder : Path

    Raises
    ------
    OSError
        The folder cannot be written to.
    """
    for file in sorted((SHIPPED / "demo").rglob("*")):
        place = folder / file.relative_to(SHIPPED / "demo")
        if file.suffix in _OF_THE_DEMO and "out" not in place.parts and not place.exists():
            place.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(file, place)
    return folder / "whole-season.trellis"


_OF_THE_DEMO = {".trellis", ".csv", ".xlsx", ".ods", ".sqlite"}
