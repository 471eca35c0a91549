"""The line to a server: listens for what other rooms do, says who is working on what, comes back when it was cut.

One thread. The server tells by NOTIFY which template changed; that one is fetched and the window told. Presence is
advisory: each room says every few seconds what it has open, and whoever is not heard of is taken to have gone.
"""

from __future__ import annotations

import json
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass

import psycopg
from sqlalchemy.exc import SQLAlchemyError

from idle_quarry.errors import LibraryError
from idle_quarry.library.server.at_hand import AtHand
from idle_quarry.library.server.opening import shown

_SAID_EVERY_S = 4.0
_GONE_AFTER_S = 12.0
#: What the server would not take is offered again so often.
_OFFERED_EVERY_S = 20.0
_TRY_AGAIN_S = (0.5, 1.0, 2.0, 4.0)
_CHANGES, _PRESENCE = "quarry", "quarry_presence"


@dataclass(frozen=True)
class LibraryNews:
    """What came over the line: whether it stands, why not, and whether anything in the library is new."""

    joined: bool
    why: str = ""
    changed: bool = False


class ServerConnection:
    """`told` is called on the line's own thread, with each piece of news."""

    def __init__(self, library: AtHand, on_news: Callable[[LibraryNews], None]) -> None:
        self._library = library
        self._on_news = on_news
        self._room = uuid.uuid4().hex
        self._working_on: str | None = None
        self._heard: dict[str, tuple[str, str | None, float]] = {}
        self._stop = threading.Event()
        self._speak = threading.Event()
        self._thread = threading.Thread(target=self._run, name="quarry-line", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Hang up and wait for the thread."""
        self._stop.set()
        self._thread.join(15)

    def works_on(self, template_id: str | None) -> None:
        """Say what is open in this room; None for nothing."""
        if template_id != self._working_on:
            self._working_on = template_id
            self._speak.set()

    def present(self, template_id: str) -> list[str]:
        """Return who else has a template open, by name."""
        now = time.monotonic()
        heard = list(self._heard.values())
        return sorted({person for person, what, at in heard if what == template_id and now - at < _GONE_AFTER_S})

    def _run(self) -> None:
        tries = 0
        while not self._stop.is_set():
            try:
                self._listen(lambda: self._on_news(LibraryNews(True, changed=True)))
                tries = 0
            except (psycopg.Error, SQLAlchemyError, LibraryError, OSError) as error:
                self._library.leave()
                self._heard.clear()
                text = str(error) if isinstance(error, LibraryError) else "the server does not answer"
                self._on_news(LibraryNews(False, text))
            self._stop.wait(_TRY_AGAIN_S[min(tries, len(_TRY_AGAIN_S) - 1)])
            tries += 1

    def _listen(self, joined: Callable[[], None]) -> None:
        """Hold the line until it breaks or is hung up."""
        url = self._library.url
        plain = url.set(drivername="postgresql").render_as_string(hide_password=False)
        with psycopg.connect(plain, autocommit=True, connect_timeout=4) as line:
            line.execute(f"LISTEN {_CHANGES}")
            line.execute(f"LISTEN {_PRESENCE}")
            self._library.join()  # after listening has begun: nothing falls between
            joined()
            value, offered = 0.0, time.monotonic()
            while not self._stop.is_set():
                if self._library.away:
                    raise LibraryError("the server went away", subject=shown(url))
                if self._speak.is_set() or time.monotonic() - value > _SAID_EVERY_S:
                    self._speak.clear()
                    self._say(line)
                    value = time.monotonic()
                self._hear(line)
                if time.monotonic() - offered > _OFFERED_EVERY_S:
                    offered = time.monotonic()
                    if self._library.unsent():
                        self._library.send()
                        self._on_news(LibraryNews(True, changed=True))
            self._working_on = None
            self._say(line)

    def _say(self, line: psycopg.Connection) -> None:
        words = {"room": self._room, "person": self._library.person, "template": self._working_on}
        line.execute("SELECT pg_notify(%s, %s)", (_PRESENCE, json.dumps(words)))

    def _hear(self, line: psycopg.Connection) -> None:
        changed: set[tuple[str, str]] = set()
        others = False
        for heard in line.notifies(timeout=0.3, stop_after=1):
            others |= self._take(heard, changed)
        if changed:  # what comes in one breath is fetched in one
            for heard in line.notifies(timeout=0.02):
                others |= self._take(heard, changed)
            small = any(table in ("setting", "job", "handover") for table, _ in changed)
            self._library.follow({key for _, key in changed}, small=small)
        if changed or others:
            self._on_news(LibraryNews(True, changed=bool(changed)))

    def _take(self, heard: psycopg.Notify, changed: set[tuple[str, str]]) -> bool:
        """Take one notification; return whether it says something new of who is where."""
        if heard.channel == _CHANGES:
            table, _, key = heard.payload.partition(" ")
            changed.add((table, key))
            return False
        try:
            words = json.loads(heard.payload)
            room, person, template = str(words["room"]), str(words["person"])[:80], words["template"]
        except (ValueError, KeyError, TypeError):
            return False  # anybody may notify; what is no word of ours is none
        if room == self._room or not (template is None or isinstance(template, str)):
            return False
        before = self._heard.get(room, ("", None, 0.0))
        self._heard[room] = (person, template, time.monotonic())
        return before[:2] != (person, template)
