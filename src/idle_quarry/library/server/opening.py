"""Opening a library on a server: the address, who one is there, and what one may do."""

from __future__ import annotations

import re
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import ArgumentError

from idle_quarry.errors import LibraryError
from idle_quarry.library.engines import version_of
from idle_quarry.library.schema import HEAD
from idle_quarry.library.store import Library

#: The oldest PostgreSQL whose views can hold the rights of whoever asks.
OLDEST = 15
RIGHTS = ("reader", "editor", "approver")
#: Seconds to wait for a server before it counts as away, and for a statement before it is given up.
_CONNECT_S, _STATEMENT_MS = 3, 8_000
#: A network that goes silent, without a word, is noticed within four seconds: TCP's own timers would take minutes.
_NOTICED: dict[str, Any] = {
    "tcp_user_timeout": 3000,
    "keepalives": 1,
    "keepalives_idle": 2,
    "keepalives_interval": 1,
    "keepalives_count": 2,
}


def address(text: str) -> sa.URL:
    """Return the address of a server's database. Raises `LibraryError`."""
    try:
        url = sa.make_url(text)
    except (ArgumentError, ValueError) as error:
        raise LibraryError("not an address of a database", subject=_without_password(text)) from error
    if url.drivername.split("+")[0] not in ("postgresql", "postgres"):
        raise LibraryError(
            "libraries live in files or on PostgreSQL servers",
            subject=_without_password(text),
            remedy="write postgresql://person@host/database",
        )
    return url.set(drivername="postgresql+psycopg")


def _without_password(text: str) -> str:
    text = re.sub(r"://([^:/@]*):[^@]*@", r"://\1@", text)
    return re.sub(r"([?&][^=&]*pass[^=&]*=)[^&#\s]*", r"\1…", text, flags=re.IGNORECASE)


def shown(url: sa.URL) -> str:
    """Return an address as it may be shown and written down: without its password."""
    query = {key: value for key, value in url.query.items() if "pass" not in key.lower()}
    bare = sa.URL.create("postgresql", url.username, None, url.host, url.port, url.database, query)
    return bare.render_as_string().replace("%2F", "/")


def server_engine(url: sa.URL) -> sa.Engine:
    """Return an engine on a server. TLS is used where the server offers it, as libpq does by itself."""
    return sa.create_engine(
        url,
        pool_size=3,
        max_overflow=5,
        pool_pre_ping=True,
        connect_args={
            "connect_timeout": _CONNECT_S,
            "options": f"-c statement_timeout={_STATEMENT_MS}",
            **_NOTICED,
        },
    )


class ServerLibrary(Library):
    """A library on a server. The person is who the server knows; what they may do, the server holds."""

    def __init__(self, url: sa.URL) -> None:
        super().__init__(server_engine(url), "", shown(url))
        self.url = url
        try:
            self.right = self._look()
        except BaseException:
            self.close()
            raise

    def _look(self) -> str:
        with self.transaction() as connection:
            version = version_of(connection, self.subject)
            if version != HEAD:
                raise LibraryError(
                    "the database holds no library yet" if version is None else "the library is of an older version",
                    subject=self.subject,
                    remedy="whoever keeps the server runs: idle-quarry server setup URL",
                )
            self.person = str(connection.execute(sa.text("SELECT session_user")).scalar_one())
            right = ""
            for name in RIGHTS:
                asked = sa.text(
                    "SELECT count(*) FROM pg_roles WHERE rolname = :role AND pg_has_role(session_user, oid, 'MEMBER')"
                )
                if connection.execute(asked, {"role": f"quarry_{name}"}).scalar_one():
                    right = name
        if not right:
            raise LibraryError(
                f"{self.person} has no right in it", subject=self.subject, remedy="ask whoever keeps the server for one"
            )
        return right


def open_server(place: str) -> ServerLibrary:
    """Return the library at an address. Raises `LibraryError`, and `Away` where the server does not answer."""
    return ServerLibrary(address(place))
