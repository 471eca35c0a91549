"""How soon another room's save is on the shelf here (aim: a second), beside a bare LISTEN and NOTIFY in the same
run.
"""

from __future__ import annotations

import os
import sys
import tempfile
import threading
import time

import psycopg
from common import ROOT, machine, milliseconds

sys.path.insert(0, str(ROOT))

from tests.library.worker import HD, varied
from tests.postgres import PrivateServer

from idle_quarry.library.server import open_server
from idle_quarry.library.server.at_hand import AtHand
from idle_quarry.library.server.connection import ServerConnection
from idle_quarry.library.server.setup import set_up


def bare(url: str, rounds: int) -> list[float]:
    """Return the seconds from NOTIFY on one connection to its arrival on another."""
    taken = []
    with psycopg.connect(url, autocommit=True) as ear, psycopg.connect(url, autocommit=True) as mouth:
        ear.execute("LISTEN bare")
        for _ in range(rounds):
            begun = time.perf_counter()
            mouth.execute("NOTIFY bare")
            for _heard in ear.notifies(timeout=5, stop_after=1):
                taken.append(time.perf_counter() - begun)
    return taken


def main(rounds: int = 60) -> None:
    server = PrivateServer()
    with tempfile.TemporaryDirectory() as home:
        os.environ["XDG_DATA_HOME"] = home
        server.start()
        server.database("house")
        set_up(server.url("keeper", "house"), {"Runa": "editor", "Odo": "editor"})
        odo, here = open_server(server.url("Odo", "house")), AtHand(server.url("Runa", "house"), "Runa")
        ident = odo.save_new(HD, "house", "").template_id
        lines = threading.Event()
        line = ServerConnection(here, lambda news: lines.set() if news.changed else None)
        while here.away:
            time.sleep(0.01)
        taken = []
        for number in range(rounds):
            time.sleep(0.1)
            lines.clear()
            saved = odo.save_revision(ident, varied(number), "").number
            begun = time.perf_counter()
            while here.revisions(ident)[0].number != saved:
                lines.wait(0.005)
            taken.append(time.perf_counter() - begun)
        line.close()
        here.close()
        odo.close()
        plain = bare(server.url("Runa", "house"), rounds)
    server.close()
    print(f"another room's save on this shelf ({machine()}): {milliseconds(taken)} (aim 1000 ms)")
    print(f"  a bare LISTEN and NOTIFY: {milliseconds(plain)}")


if __name__ == "__main__":
    main()
