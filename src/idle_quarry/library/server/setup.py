"""Setting a server up: tables, rights, audit, people; all of it can be run again, and says what it did."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass

import sqlalchemy as sa
from sqlalchemy.exc import DatabaseError

from idle_quarry.errors import LibraryError, NotUnderstood
from idle_quarry.library.engines import DatabaseStore, migrated, version_of
from idle_quarry.library.schema import HEAD
from idle_quarry.library.server import tasks
from idle_quarry.library.server.guards import RIGHTS_VERSION
from idle_quarry.library.server.opening import OLDEST, RIGHTS, address, server_engine, shown
from idle_quarry.library.server.rights import statements


@dataclass(frozen=True)
class ServerSetUp:
    """What was done, in sentences, and the passwords that were made: told once, kept nowhere."""

    lines: tuple[str, ...]
    passwords: Mapping[str, str]


def set_up(place: str, people: Mapping[str, str]) -> ServerSetUp:
    """Set up the library in a database; `people` are names and their right.

    All or nothing: one transaction. Raises `LibraryError` where the server is too old, does not answer, or does not let
    this person make tables and roles; `NotUnderstood` for an unknown right.
    """
    for name, right in people.items():
        if right not in RIGHTS:
            raise NotUnderstood(f"no such right for {name}", subject=right, remedy="use " + ", ".join(RIGHTS))
    url = address(place)
    store = DatabaseStore(server_engine(url), "", shown(url))
    lines: list[str] = []
    passwords: dict[str, str] = {}
    try:
        with store.transaction() as connection:
            version = connection.execute(sa.text("SHOW server_version_num")).scalar_one()
            if int(version) < OLDEST * 10_000:
                raise LibraryError(
                    f"PostgreSQL {int(version) // 10_000} is too old",
                    subject=store.subject,
                    remedy=f"use version {OLDEST} or newer",
                )
            tls = connection.execute(sa.text("SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()")).scalar()
            # two at once would trip over each other; whoever only holds the lock stops nobody for longer than that
            connection.execute(sa.text("SET LOCAL lock_timeout = '5s'"))
            connection.execute(sa.text("SELECT pg_advisory_xact_lock(7461)"))
            before = version_of(connection, store.subject)
            if before != HEAD:
                migrated(connection)
            lines.append(
                f"tables: made, version {HEAD}"
                if before is None
                else (
                    f"tables: there already, version {HEAD}"
                    if before == HEAD
                    else f"tables: brought from version {before} to {HEAD}"
                )
            )
            older = _older_rights(connection)
            for text, steps in statements():
                for step in steps:
                    connection.exec_driver_sql(step.replace("%", "%%"))  # the driver takes one for a placeholder
                lines.append(text)
            there = bool(connection.execute(sa.text(tasks.IS_THERE)).scalar())
            for step in tasks.statements(there=there):
                connection.exec_driver_sql(step.replace("%", "%%"))
            lines.append("tasks that rooms do for one another: " + ("there already" if there else "made"))
            if older:
                lines.append("mended: the rights an older version had set could be walked round with a raw connection")
            lines += _out_of_count(connection)
            database = connection.execute(sa.text("SELECT current_database()")).scalar_one()
            connection.exec_driver_sql(f"GRANT CONNECT ON DATABASE {_quoted(database)} TO quarry_reader")
            for name, right in people.items():
                lines.append(_person(connection, name, right, passwords))
            lines.append(
                "the line is encrypted (TLS)"
                if tls
                else "the line is not encrypted: the server offers no TLS, or it is on this machine"
            )
    except DatabaseError as error:  # pragma: no cover  (translated by the store; a constraint is none of setup's)
        raise LibraryError(f"the server refused ({error.orig})", subject=store.subject) from error
    finally:
        store.close()
    return ServerSetUp(tuple(lines), passwords)


def _person(connection: sa.Connection, name: str, right: str, passwords: dict[str, str]) -> str:
    there = connection.execute(sa.text("SELECT 1 FROM pg_roles WHERE rolname = :name"), {"name": name}).scalar()
    role = _quoted(name)
    if not there:
        passwords[name] = secrets.token_urlsafe(12)
        connection.exec_driver_sql(
            f"CREATE ROLE {role} LOGIN PASSWORD '{_verifier(connection, name, passwords[name])}'"
        )
    for item in RIGHTS:
        if item != right:
            connection.exec_driver_sql(f"REVOKE quarry_{item} FROM {role}")
    connection.exec_driver_sql(f"GRANT quarry_{right} TO {role}")
    return f"{name}: {right}" + ("" if there else ", with a new password (below, this once)")


def _verifier(connection: sa.Connection, name: str, password: str) -> str:
    """Return what a server keeps of a password (SCRAM, RFC 5803): the password itself never reaches it, nor its log."""
    raw = connection.connection.driver_connection
    assert raw is not None
    data: bytes = raw.pgconn.encrypt_password(password.encode(), name.encode(), b"scram-sha-256")
    return data.decode("ascii")


def _older_rights(connection: sa.Connection) -> bool:
    """Return whether an older version of this program has set the rights here."""
    asked = (
        "SELECT obj_description(to_regprocedure('public.quarry_guard()'), 'pg_proc'),"
        " to_regprocedure('public.quarry_guard()')"
    )
    mark, there = connection.execute(sa.text(asked)).one()
    return there is not None and mark != f"idle-quarry rights {RIGHTS_VERSION}"


def _out_of_count(connection: sa.Connection) -> list[str]:
    """Return what an older version let in under numbers out of count.

    Nothing can be saved after the largest of them.
    """
    counted = """
        SELECT t.name, c.what, min(c.number) FROM (
            SELECT template_id, 'revision' AS what, number, row_number() OVER (PARTITION BY template_id ORDER BY
                number) AS nth
            FROM public.revision
            UNION ALL
            SELECT template_id, 'remark', n, row_number() OVER (PARTITION BY template_id ORDER BY n) FROM public.review
        ) c JOIN public.template t ON t.id = c.template_id
        WHERE c.number <> c.nth GROUP BY t.id, t.name, c.what ORDER BY t.name, c.what
    """
    return [
        f"{name}: {what} {number} is out of count, written past an older version's rights; duplicate the template and"
        " put this one aside"
        for name, what, number in connection.execute(sa.text(counted))
    ]


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
