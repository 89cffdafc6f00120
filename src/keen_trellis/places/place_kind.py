"""What is known of each sort of place where a trellis can run, without going there."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any

from keen_trellis.base.language import tr
from keen_trellis.servers.server import Server

if TYPE_CHECKING:
    from keen_trellis.places.place_session import Session
    from keen_trellis.servers.secrets import Secrets


@dataclass(frozen=True, slots=True)
class AskedFor:
    """A setting of a place that a person is asked for.

    Attributes
    ----------
    name : str
        What the address calls it.
    label, hint : str
        Before the field, and in it while it is empty.
    says : str
        What is read out of it.
    usual : str
        What it holds at first.
    is_number, are_many, is_needed : bool
        Whether it is a port, a list with commas, and whether it may be left empty.
    """

    name: str
    label: str
    says: str
    hint: str = ""
    usual: str = ""
    is_number: bool = False
    are_many: bool = False
    is_needed: bool = False

    def read(self, text: str) -> Any:
        """Return what a person filled in as the address has it."""
        if self.are_many:
            return tuple(one.strip() for one in text.split(",") if one.strip())
        if self.is_number:
            return int(text) if text else None
        return text.strip()


@dataclass(frozen=True, slots=True)
class PlaceKind:
    """A sort of place.

    Attributes
    ----------
    type : str
        What the address is called in a document.
    words : str
        What it is called in the window.
    dialect : str
        The name of its dialect, as `sql.dialects.DIALECTS` has it.
    address : class
        A `Server`, with an account and a password, or an address of its own.
    session : str
        Where its session stands, as “module:class”: loaded when somebody goes there.
    asks : tuple of AskedFor
        What a person is asked for; of a server its account is asked for instead.
    reads_files : bool
        Whether it reads files by the paths that this machine has for them.
    """

    type: str
    words: str
    dialect: str
    address: Callable[..., Any]
    session: str
    asks: tuple[AskedFor, ...] = ()
    reads_files: bool = False

    @property
    def has_account(self) -> bool:
        """Whether one is there by an account, with a password that may be asked for."""
        return self.address is Server

    def address_of(self, given: Mapping[str, str]) -> Any:
        """Return the address that a person filled in, by the names of what was asked for.

        Raises
        ------
        ValueError
            What is needed is missing, or is none that there can be; the message says so.
        """
        for one in self.asks:
            if one.is_needed and not given.get(one.name, "").strip():
                raise ValueError(tr("{label} must be filled in.", label=one.label))
        return self.address(**{one.name: one.read(given.get(one.name, "")) for one in self.asks})

    def open(self, address: Any, secrets: Secrets) -> Session:
        """Return a session there; errors as the sessions raise them."""
        module, name = self.session.split(":")
        made: Session = getattr(import_module(f"keen_trellis.places.{module}"), name)(
            address, secrets
        )
        return made
