"""Packages whose names are loaded once somebody asks for one, so that a start loads little."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any


def looked_up(package: str, places: Mapping[str, str]) -> Callable[[str], Any]:
    """Return the `__getattr__` of a package (PEP 562); `places` gives the module of each name."""

    def look_up(name: str) -> Any:
        if name in places:
            return getattr(import_module(f"{package}.{places[name]}"), name)
        raise AttributeError(f"{package} has no {name}")

    return look_up
