"""What a library keeps, proved whole: 2 000 saves by eight writers each way, 200 kills, 20 stops of a server.

Prints what was acknowledged and what of it was missing or doubled, and how fast saving is beside bare inserts of the
same rows through SQLAlchemy in the same run.
"""

from __future__ import annotations

import os
import random
import sys
import tempfile
import time
import uuid
from pathlib import Path

import sqlalchemy as sa
from common import ROOT, machine

sys.path.insert(0, str(ROOT))

from tests.library.proofs import Outcome, killed, stopped, written
from tests.library.worker import HD
from tests.postgres import PrivateServer

from idle_quarry.library import open_library
from idle_quarry.library.schema import revisions
from idle_quarry.library.server import open_server
from idle_quarry.library.server.at_hand import AtHand
from idle_quarry.library.server.setup import set_up

PEOPLE = ["Runa", "Odo", "Wren", "Ivo", "Tamsin", "Bryn", "Esk", "Fenn"]


def said(outcome: Outcome) -> str:
    return (
        f"{outcome.acknowledged} acknowledged, {len(outcome.missing)} missing, {len(outcome.doubled)} doubled, "
        f"{len(outcome.unsound)} unsound, {outcome.seconds:.0f} s"
    )


def bare(url: str, rows: int) -> float:
    """Return the seconds of as many bare inserts of one template's revisions, a transaction each."""
    engine = sa.create_engine(url)
    ident = str(uuid.uuid4())
    row = {
        "template_id": ident,
        "author": "x",
        "time": "x",
        "note": "",
        "state": "draft",
        "hash": "0" * 64,
        "summary": "{}",
        "body": HD.model_dump_json(),
    }
    columns = [sa.Column(c.name, c.type, primary_key=c.primary_key) for c in revisions.columns]
    plain = sa.Table("plain_revision", sa.MetaData(), *columns)
    plain.create(engine)
    begun = time.perf_counter()
    for number in range(rows):
        with engine.begin() as connection:
            connection.execute(plain.insert().values(**row, number=number))
    return time.perf_counter() - begun


def main(saves: int = 2000, kills: int = 200, stops: int = 20) -> None:
    print(f"proofs of a library ({machine()})")
    with tempfile.TemporaryDirectory(prefix="quarry-proofs-") as name:
        folder = Path(name)
        library = open_library(folder / "writers.db", "Runa")
        library.save_new(HD, "house", "")
        outcome = written(str(library.place), PEOPLE, saves, folder, library)
        print(f"  8 writers, SQLite: {said(outcome)}, {outcome.acknowledged / outcome.seconds:.0f} saves/s")
        library.close()
        few = 300
        one = bare(f"sqlite:///{folder / 'writers.db'}", few) / few
        single = open_library(folder / "single.db", "Runa")
        single.save_new(HD, "house", "")
        alone = written(str(single.place), PEOPLE[:1], few, folder, single)
        print(
            f"    one writer {alone.acknowledged / alone.seconds:.0f} saves/s with its start; bare SQLAlchemy inserts"
            f" {1 / one:.0f}/s"
        )
        single.close()
        server = PrivateServer()
        server.start()
        server.database("house")
        set_up(server.url("keeper", "house"), dict.fromkeys(PEOPLE, "editor"))
        there = open_server(server.url("Runa", "house"))
        there.save_new(HD, "house", "")
        outcome = written(server.url("PERSON", "house"), PEOPLE, saves, folder, there)
        print(f"  8 writers, PostgreSQL: {said(outcome)}, {outcome.acknowledged / outcome.seconds:.0f} saves/s")
        there.close()
        one = bare(server.url("keeper", "house").replace("postgresql:", "postgresql+psycopg:"), few) / few
        print(f"    bare SQLAlchemy inserts {1 / one:.0f}/s")
        (folder / "kills").mkdir()
        outcome = killed(kills, folder / "kills")
        print(f"  {outcome.kills} kills of save, take, review and copy: {said(outcome)}")
        server.database("stops")
        set_up(server.url("keeper", "stops"), dict.fromkeys(PEOPLE, "editor"))
        os.environ["XDG_DATA_HOME"] = str(folder / "room")
        here = AtHand(server.url("Runa", "stops"), "Runa")
        outcome = stopped(stops, server, "stops", here, random.Random(5))
        print(f"  {outcome.kills} stops of a server in mid-save: {said(outcome)}")
        here.close()
        server.close()


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
