"""What was saved while the server was away, in the order it was saved, until the server has it."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa

from idle_quarry.library.engines import DatabaseStore

_TABLE = sa.table(
    "outbox",
    *(sa.column(name) for name in ("id", "act", "template_id", "number", "body", "trouble")),
)
_MADE = """
CREATE TABLE IF NOT EXISTS outbox (
    id INTEGER PRIMARY KEY AUTOINCREMENT, act TEXT NOT NULL, template_id TEXT NOT NULL, number INTEGER NOT NULL,
    body TEXT NOT NULL, trouble TEXT NOT NULL DEFAULT ''
)
"""


@dataclass(frozen=True)
class WaitingAct:
    """One thing that waits for the server: what was done, with what, and why the server refused it, if it did.

    `number` is the one the revision has here until the server gives it its own.
    """

    id: int
    act: str
    template_id: str
    number: int
    body: dict[str, Any]
    trouble: str

    @property
    def saves(self) -> bool:
        """Whether it is a revision."""
        return self.act not in ("job", "handover")

    @property
    def words(self) -> str:
        """What waits, and why the server would not take it, where it would not."""
        if self.act == "job":
            what = f"the job {self.body['title']}"
        elif self.act == "handover":
            what = f"the hand-over of {self.body['record']['file']}"
        else:
            what = f"a draft of {self.body['template']['name']}"
        return f"{what}, refused: {self.trouble}" if self.trouble else what


class Outbox:
    """The queue, in the library file that is kept at hand."""

    def __init__(self, store: DatabaseStore) -> None:
        self._store = store
        with store.transaction(write=True) as connection:
            connection.exec_driver_sql(_MADE)

    def put(self, connection: sa.Connection, act: str, template_id: str, number: int, body: dict[str, Any]) -> None:
        """Add something, in the transaction that does it here."""
        values = {"act": act, "template_id": template_id, "number": number, "trouble": ""}
        connection.execute(_TABLE.insert().values(**values, body=json.dumps(body, ensure_ascii=False)))

    def waiting(self) -> list[WaitingAct]:
        """Return what waits, oldest first."""
        with self._store.transaction() as connection:
            rows = connection.execute(sa.select(_TABLE).order_by(_TABLE.c.id)).mappings().all()
        return [WaitingAct(**{**row, "body": json.loads(row["body"])}) for row in rows]

    def done(self, connection: sa.Connection, one: WaitingAct) -> None:
        """Take something out: the server has it."""
        connection.execute(_TABLE.delete().where(_TABLE.c.id == one.id))

    def refused(self, one: WaitingAct, why: str) -> None:
        """Note why the server would not take something; it stays here."""
        with self._store.transaction(write=True) as connection:
            connection.execute(_TABLE.update().where(_TABLE.c.id == one.id).values(trouble=why))

    def renumbered(self, connection: sa.Connection, one: WaitingAct, number: int) -> None:
        """Note that a revision that waits has another number here now."""
        connection.execute(_TABLE.update().where(_TABLE.c.id == one.id).values(number=number))
