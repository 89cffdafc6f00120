"""Tables made, replaced or added to, in any of the databases."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING

from keen_trellis.base.errors import UserError
from keen_trellis.base.logs import timed
from keen_trellis.base.progress import Report, quiet
from keen_trellis.deliver.database import mariadb_table, postgres_table, sqlite_table
from keen_trellis.deliver.database.refusals import driver_errors, refused_by_driver, require_names
from keen_trellis.deliver.database.target import Target
from keen_trellis.servers.secrets import Secrets

if TYPE_CHECKING:
    from keen_trellis.data import Table

_log = logging.getLogger(__name__)
_WRITERS = {
    "postgresql": postgres_table.write,
    "mariadb": mariadb_table.write,
    "sqlite": sqlite_table.write,
}


def deliver_table(
    table: Table, target: Target, secrets: Secrets | None = None, report: Report = quiet
) -> None:
    """Write every row of a table into a database, all of them or none; blanks and gaps are null.

    Parameters
    ----------
    table, report
    target : Target
        A table of a source that is read must not be given.
    secrets : Secrets, optional
        Where passwords of servers come from.

    Raises
    ------
    DeliveryError
        There is a table of that name already (with “make”), or none (with “add”), its columns are
        others, a name or value is none that the database takes, or the server refuses.
    PasswordError
        The password has to be asked for.
    Cancelled
        Raised by `report` once the user has asked to stop; nothing is written then.
    """
    require_names(table, target)
    try:
        with timed(_log, f"write {target.table} of {target.database.label}") as told:
            told.rows = len(table)
            _WRITERS[target.sort](table, target, secrets or Secrets(), report)
    except UserError:
        raise
    except driver_errors(target) as error:
        raise refused_by_driver(error, target) from error
