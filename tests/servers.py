"""A server for the whole run, and a library set up on it for each test that asks."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

import pytest

from idle_quarry.library.server.setup import set_up
from tests.postgres import PrivateServer

_NUMBERS = itertools.count(1)


@pytest.fixture(scope="session")
def server() -> Iterator[PrivateServer]:
    result = PrivateServer()
    result.start()
    yield result
    result.close()


@pytest.fixture
def house(server: PrivateServer) -> str:
    """Return the name of a database set up for Wren the reader, Runa and Odo who edit, Tamsin and Ivo who approve."""
    name = f"house{next(_NUMBERS)}"
    server.database(name)
    people = {"Wren": "reader", "Runa": "editor", "Odo": "editor", "Tamsin": "approver", "Ivo": "approver"}
    set_up(server.url("keeper", name), people)
    return name
