"""A program that works in a library until it is killed, and says what was acknowledged: one line for each.

PLACE PERSON FOLDER SEED [COUNT]: saves, comments, reviews, takes from files and copies, in an order the seed gives;
COUNT saves and nothing else where it is said. PLACE is a file or a server's address.
"""

from __future__ import annotations

import random
import sys
import uuid
from pathlib import Path

from idle_quarry.demo.templates import house_shelf
from idle_quarry.library import Library, open_library
from idle_quarry.library.files.bundles import export_bundle, offered
from idle_quarry.library.files.importing import take
from idle_quarry.library.safety import backup
from idle_quarry.library.server import open_server
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.template import Template
from idle_quarry.places import is_server

HD = next(history[-1].template for history in house_shelf() if history[-1].template.name == "House HD 50i")


def varied(number: int, name: str = HD.name) -> Template:
    """Return a template that no other number gives."""
    return edited(
        HD, Edit("name", name), Edit("sound.line_up_dbfs", -9.0 - (number % 3000) / 100), Edit("note", str(number))
    )


def opened(place: str, person: str) -> Library:
    return open_server(place) if is_server(place) else open_library(Path(place), person)


def only_saves(library: Library, ident: str, count: int, chance: random.Random) -> None:
    """Save `count` revisions of one template."""
    for _ in range(count):
        key = str(uuid.uuid4())
        result = library.save_revision(ident, varied(chance.randrange(10**6)), "", ident=key)
        print("save", ident, result.number, result.hash, key, flush=True)


def everything(library: Library, ident: str, place: Path, folder: Path, chance: random.Random) -> None:
    """Do everything that writes, for ever."""
    bundle = folder / f"{uuid.uuid4().hex}.zip"
    export_bundle([library.stored(ident)], bundle)
    while True:
        act = chance.choice(("save", "save", "review", "take", "backup"))
        if act == "save":
            only_saves(library, ident, 1, chance)
        elif act == "review":
            output = library.save_revision(ident, varied(chance.randrange(10**6)), "")
            text = library.review(ident, output.number, "propose", "", ident=str(uuid.uuid4()))
            print("review", ident, output.number, text.n, flush=True)
        elif act == "take":
            [one] = offered(bundle)
            done = take(library, one, "own", "keep both" if library.named(HD.name, "own") else "take", bundle.name)
            assert done is not None
            print(
                "save", done.template_id, done.number, library.stored(done.template_id).revision.hash, "-", flush=True
            )
        else:
            copy = folder / f"{uuid.uuid4().hex}.db"
            result = backup(place, copy)
            print("backup", copy, result.revisions, flush=True)


def main() -> None:
    place, person, folder, seed, *count = sys.argv[1:]
    library = opened(place, person)
    ident = library.find(f"house/{HD.name}").id
    chance = random.Random(int(seed))
    print("ready", flush=True)
    if count:
        only_saves(library, ident, int(count[0]), chance)
    else:
        everything(library, ident, Path(place), Path(folder), chance)


if __name__ == "__main__":
    main()
