"""A server's library kept at hand: a library file that follows the server, and can be worked in when it is away.

What is read is read here, so that the window never waits for a network. What is written goes to the server first and is
then fetched; drafts and jobs made while it is away wait in the outbox and are sent when it is back, each once: it
carries an id of its own. A revision that was saved against one that has moved on meanwhile becomes a draft beside the
others, to be merged like any two.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import threading
import uuid
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import sqlalchemy as sa

from idle_quarry.errors import Away, LibraryError, NameTaken
from idle_quarry.library.file_library import FileLibrary
from idle_quarry.library.held_values import Held, held_canonical, held_from_data, kind_of, renamed
from idle_quarry.library.records import HandoverRecord, JobRecord, Remark, Revision, StoredTemplate
from idle_quarry.library.schema import heads, revisions, templates
from idle_quarry.library.server.following import Following
from idle_quarry.library.server.opening import ServerLibrary, address, shown
from idle_quarry.library.server.outbox import Outbox, WaitingAct
from idle_quarry.library.store import Also
from idle_quarry.path.entries import Entry
from idle_quarry.places import data_folder

_Done = TypeVar("_Done")
_NEEDS_SERVER = "wait until it is back; drafts and jobs go on meanwhile"


def place_at_hand(address_text: str) -> Path:
    """Return the file in which a server's library is kept at hand; its name holds no password."""
    name = hashlib.sha256(shown(address(address_text)).encode()).hexdigest()[:16]
    return data_folder() / "servers" / name / "library.db"


class AtHand(FileLibrary):
    """The library at `address_text`, as far as it has been seen from here. Made without asking the server."""

    at_hand = True

    def __init__(self, address_text: str, person: str) -> None:
        place = place_at_hand(address_text)
        place.parent.mkdir(parents=True, exist_ok=True)
        super().__init__(place, person)
        self.url = address(address_text)
        self.subject = shown(self.url)
        self.server: ServerLibrary | None = None
        # one at a time: what comes from the server, and what is saved here while it is away
        self._turn = threading.RLock()
        with self.transaction(write=True) as connection:
            # bodies come later than their rows, and drafts get the server's number: here rows do change
            for name in ("revision_never_changes", "revision_never_goes"):
                connection.exec_driver_sql(f"DROP TRIGGER IF EXISTS {name}")
        self.outbox = Outbox(self)
        self.following = Following(self, self.outbox)

    @property
    def away(self) -> bool:
        return self.server is None

    def close(self) -> None:
        self.leave()
        super().close()

    def unsent(self) -> list[WaitingAct]:
        """Return what the server has not got yet, oldest first."""
        return self.outbox.waiting()

    # -- the line ---------------------------------------------------------------------------------------

    def join(self) -> None:
        """Take up the line to the server: send what waits, fetch what is new. Raises `LibraryError`, `Away`."""
        server = ServerLibrary(self.url)
        try:
            with self._turn:
                self.person = server.person
                self._send(server)
                self.following.follow(server)
                self.leave()
                self.server = server
        except BaseException:
            server.close()
            raise

    def send(self) -> None:
        """Offer the server what waits once more: a right may have been given since. Raises `Away`."""
        with self._turn:
            if self.server is not None:
                self._send(self.server)
                self.following.follow(self.server)

    def leave(self) -> None:
        """Let go of the line; what was seen stays."""
        server, self.server = self.server, None
        if server is not None:
            server.close()

    def follow(self, template_ids: set[str] | None = None, *, small: bool = True) -> None:
        """Fetch what is new on the server, of some templates or of all; `small`: settings and jobs too.

        Raises `Away`.
        """
        with self._turn:
            if self.server is None:
                raise Away("the server does not answer", subject=self.subject)
            self.following.follow(self.server, template_ids, small=small)

    # -- the outbox -------------------------------------------------------------------------------------

    def _send(self, server: ServerLibrary) -> None:
        """Send what waits, in order; what the server refuses stays here, with why."""
        for act in self.outbox.waiting():
            try:
                self._send_one(server, act)
            except Away:
                raise
            except LibraryError as error:
                self.outbox.refused(act, str(error))
                if act.act == "save new":  # the shelf's name is not its own until the server has it
                    with self.transaction(write=True) as here:
                        self.following.give_way(here, templates.c.id == act.template_id)
                continue
            with self.transaction(write=True) as here:
                if act.saves:
                    self._forget(here, act)
                self.outbox.done(here, act)

    def _made_of(self, server: ServerLibrary, one: WaitingAct, number: int) -> int:
        """Return the server's number of the revision that something was made of.

        One that waited too is known by the id of its save: its number here was only its own.
        """
        of = one.body["of"]
        count = server.number_of(of) if of else number
        if count is None:
            raise LibraryError("waits for the draft it was made of", subject=one.body.get("note") or one.act)
        return count

    def _send_one(self, server: ServerLibrary, one: WaitingAct) -> None:
        body = one.body
        if one.act == "job":
            stored = server.stored(one.template_id, self._made_of(server, one, one.number))
            server.record_job(body["title"], Path(body["folder"]), stored, ident=body["ident"])
            return
        if one.act == "handover":
            number = self._made_of(server, one, one.number)
            server.record_handover(HandoverRecord(**{**body["record"], "revision": number}))
            return
        value = held_from_data(body["template"])
        data = {"time": body["time"], "ident": body["ident"]}
        if one.act == "save revision":
            parent = self._made_of(server, one, body["parent"])
            server.save_revision(one.template_id, value, body["note"], parent=parent, **data)
            return
        try:
            server.save_new(value, body["shelf"], body["note"], **data)
        except NameTaken:
            name = server.free_name(f"{value.name} ({self.person})"[:100], body["shelf"], kind_of(value))
            server.save_new(renamed(value, name), body["shelf"], body["note"], **data)

    def _forget(self, here: sa.Connection, one: WaitingAct) -> None:
        """Take the revision out that stood here for one the server has now; it comes back with the server's number."""
        key = (revisions.c.template_id == one.template_id) & (revisions.c.number == one.number)
        here.execute(revisions.delete().where(key))
        if one.act == "save new":
            here.execute(heads.delete().where(heads.c.template_id == one.template_id))
            here.execute(templates.delete().where(templates.c.id == one.template_id))

    # -- writing ----------------------------------------------------------------------------------------

    def _on_server(self, work: Callable[[ServerLibrary], _Done], template_id: str | None) -> _Done:
        """Do something on the server and fetch what came of it.

        Raises `Away` where it is away, or goes away over it.
        """
        server = self.server
        if server is None:
            raise Away("the server is away", subject=self.subject, remedy=_NEEDS_SERVER)
        try:
            done = work(server)
        except Away as error:
            self.leave()
            raise Away("the server went away", subject=self.subject, remedy=_NEEDS_SERVER) from error
        try:
            with self._turn:
                self.following.follow(server, {template_id} if template_id else set(), small=template_id is None)
        except Away:
            self.leave()  # it was done all the same; it is fetched when the server is back
        return done

    def _or_here(
        self,
        work: Callable[[ServerLibrary], _Done],
        template_id: str | None,
        here: Callable[[], _Done],
        made_of: tuple[str, int] | None = None,
    ) -> _Done:
        """Do something on the server; here where it is away, or where what it is made of has not got there yet."""
        with contextlib.suppress(Away):
            if made_of is None or self._parent(*made_of)["of"] is None:
                return self._on_server(work, template_id)
        with self._turn:
            # the line may have come back between the two, and with it what this is made of
            if self.server is not None and (made_of is None or self._parent(*made_of)["of"] is None):
                with contextlib.suppress(Away):
                    return self._on_server(work, template_id)
            return here()

    def save_new(self, value: Held, shelf: str, note: str, **more: Any) -> Revision:
        ident = value.uid if isinstance(value, Entry) else more.get("ident") or str(uuid.uuid4())
        also = self._waits("save new", value, note, ident, {"shelf": shelf, "of": None})
        return self._or_here(
            lambda server: server.save_new(value, shelf, note, ident=ident),
            ident,
            lambda: FileLibrary.save_new(self, value, shelf, note, ident=ident, also=also),
        )

    def save_revision(self, template_id: str, value: Held, note: str, **more: Any) -> Revision:
        ident = more.get("ident") or str(uuid.uuid4())
        parent = more.get("parent") or self.summary(template_id).latest.number
        merged = more.get("merged")

        def on_server(server: ServerLibrary) -> Revision:
            return server.save_revision(template_id, value, note, parent=parent, merged=merged, ident=ident)

        def here() -> Revision:
            made_of = self._parent(template_id, parent)
            also = self._waits("save revision", value, note, ident, made_of)
            return FileLibrary.save_revision(self, template_id, value, note, parent=parent, ident=ident, also=also)

        if merged is not None:  # what is merged must be what the server has
            return self._on_server(on_server, template_id)
        return self._or_here(on_server, template_id, here, made_of=(template_id, parent))

    def _parent(self, template_id: str, number: int) -> dict[str, Any]:
        """Return what something waiting says of the revision it was made of: its number, and its save's id if that
        waits.
        """
        waiting = {(act.template_id, act.number): act.body["ident"] for act in self.outbox.waiting() if act.saves}
        return {"parent": number, "of": waiting.get((template_id, number))}

    def _waits(self, act: str, value: Held, note: str, ident: str, more: dict[str, Any]) -> Also:
        """Return what puts a save into the outbox, in the transaction that saves it here."""
        body = {"template": json.loads(held_canonical(value)), "note": note, "ident": ident, **more}

        def also(here: sa.Connection, revision: Revision) -> None:
            self.outbox.put(here, act, revision.template_id, revision.number, {**body, "time": revision.time})

        return also

    def record_job(self, title: str, folder: Path, stored: StoredTemplate, *_: Any, **more: Any) -> JobRecord:
        sent = more.get("ident") or str(uuid.uuid4())
        revision = stored.revision

        def here() -> JobRecord:
            made_of = self._parent(revision.template_id, revision.number)
            body = {"title": title, "folder": str(folder), "ident": sent, "of": made_of["of"]}

            def also(connection: sa.Connection, record: JobRecord) -> None:
                self.outbox.put(connection, "job", record.template_id, record.revision, body)

            return FileLibrary.record_job(self, title, folder, stored, ident=sent, also=also)

        return self._or_here(
            lambda server: server.record_job(title, folder, stored, ident=sent),
            None,
            here,
            made_of=(revision.template_id, revision.number),
        )

    def record_handover(self, record: HandoverRecord, *_: Any, **_options: Any) -> None:
        revision = record.template_id, record.revision

        def here() -> None:
            body = {"record": vars(record), "of": self._parent(*revision)["of"]}
            FileLibrary.record_handover(
                self, record, lambda connection: self.outbox.put(connection, "handover", *revision, body)
            )

        self._or_here(lambda server: server.record_handover(record), None, here, made_of=revision)

    def move_job(self, job_id: str, stored: StoredTemplate) -> None:
        self._on_server(lambda s: s.move_job(job_id, stored), None)

    def review(self, template_id: str, number: int, act: str, note: str = "", **more: Any) -> Remark:
        return self._on_server(
            lambda s: s.review(template_id, number, act, note, answers=more.get("answers", ())), template_id
        )

    def comment(self, template_id: str, number: int, place: str, text: str, **more: Any) -> Remark:
        return self._on_server(lambda s: s.comment(template_id, number, place, text), template_id)

    def put_aside(self, template_id: str) -> None:
        self._on_server(lambda s: s.put_aside(template_id), template_id)

    def bring_back(self, template_id: str) -> None:
        self._on_server(lambda s: s.bring_back(template_id), template_id)

    def set_default(self, template_id: str | None, *, own: bool = False) -> None:
        self._on_server(lambda s: s.set_default(template_id, own=own), None)

    def set_one_person(self, on: bool) -> None:
        self._on_server(lambda s: s.set_one_person(on), None)
