"""A hundred thousand mutated files at every reader of what comes from elsewhere: no traceback, no hang, no crash,
under 600 MB.

`fuzzing.py [FILES [KIND ...]]`: timelines, lists of cuts, compositions in AAF (a tenth as many: each is a compound file
of 450 kB, read in a process of its own), EDID blocks, marks of places, records of a job, exchange files, entries,
bundles and profiles, each in a process of its own that is watched and begun again where a file takes it along; clips
have `odd_clips.py`. Bytes are turned, cut, doubled and moved as `tests/media/mutated` does; of JSON the structure is
turned as well.
"""

from __future__ import annotations

import copy
import json
import multiprocessing
import os
import random
import sys
import tempfile
import time
import traceback
from collections.abc import Callable, Iterator
from fractions import Fraction
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import numpy as np
from common import ROOT, machine

sys.path.insert(0, str(ROOT))
_MOST_S, _MOST_MB = 20.0, 600.0
_ODD: tuple[Any, ...] = (
    None,
    -1,
    0,
    1e300,
    float("nan"),
    "",
    "x" * 5000,
    [],
    {},
    [None],
    {"a": {}},
    True,
    "../../etc/passwd",
    "a\0b",
    1 << 70,
    "\ud800",
)


def readers() -> dict[str, Callable[[Path], object]]:
    """Return what reads a file of each kind; each may refuse with a `QuarryError`, and do nothing else."""
    from idle_quarry.app import profiles
    from idle_quarry.jobs.check import read_job
    from idle_quarry.jobs.conform.lists import read_list
    from idle_quarry.jobs.contents import _start_in
    from idle_quarry.jobs.cutting.timeline_files import read_timeline
    from idle_quarry.jobs.handover.record import read_record
    from idle_quarry.jobs.lending.shared_folders import proof_in
    from idle_quarry.jobs.material import read_material
    from idle_quarry.jobs.renders.render_folder import read_answers
    from idle_quarry.library.files.bundles import offered
    from idle_quarry.library.files.exchange import import_file
    from idle_quarry.library.house_entries import import_entry
    from idle_quarry.path.entries.edid import monitor_data, read_edid

    return {
        "timeline": lambda path: (_start_in(path), read_timeline(path, Fraction(25))),
        "list": lambda path: read_list(path, Fraction(30000, 1001)),
        "AAF": lambda path: read_list(path, Fraction(25)),
        "EDID": lambda path: monitor_data(read_edid(path.read_bytes()), "0198c0de-1111-7000-8000-00000000aaaa"),
        "mark": lambda path: proof_in(path.parent),
        "job": lambda path: read_job(path.parent),
        "material": lambda path: read_material(path.parent),
        "files handed over": lambda path: read_record(path.parent),
        "answers": lambda path: read_answers(path.parent),
        "template": import_file,
        "entry": import_entry,
        "bundle": offered,
        "profile": profiles.imported,
    }


def write_aaf(path: Path) -> None:
    """Write a composition of two shots of one tape."""
    import aaf2

    with aaf2.open(str(path), "w") as file:
        tape, master, cut = file.create.SourceMob(), file.create.MasterMob("tape 14"), file.create.CompositionMob("Cut")
        file.content.mobs.extend([tape, master, cut])
        tape.create_tape_slots("TAPE 14", 25, 25, media_kind="picture")
        shot, track = master.create_picture_slot(25), cut.create_picture_slot(25)
        shot.segment.components.append(tape.create_source_clip(1, start=250, length=100, media_kind="picture"))
        for start in (0, 40):
            piece = master.create_source_clip(shot.slot_id, start=start, length=30, media_kind="picture")
            track.segment.components.append(piece)


def seeds(folder: Path) -> dict[str, Path]:
    """Write a whole file of each kind, under the name that its reader looks for, and return where it lies."""
    from tests.path.test_edid import FIELDS, FULL, HDR, edid

    from idle_quarry.app import profiles
    from idle_quarry.app.preferences import Preferences
    from idle_quarry.demo.lay_out import fill
    from idle_quarry.jobs.folder_plan import JOB_FILE, MATERIAL_FILE
    from idle_quarry.jobs.handover.record import RECORD_FILE, VerificationRecord, write_record
    from idle_quarry.jobs.lending.shared_folders import PROOF, mark
    from idle_quarry.jobs.material import taken_in, write_material
    from idle_quarry.jobs.renders.render_folder import ANSWERS_FILE, RenderAnswers, _write
    from idle_quarry.jobs.start import start_job
    from idle_quarry.library import open_library
    from idle_quarry.library.files.bundles import export_bundle
    from idle_quarry.library.files.exchange import export_file
    from idle_quarry.library.house_entries import entry_named, export_entry

    demo = ROOT / "src/idle_quarry/demo"
    library = open_library(folder / "library.db", "Runa")
    fill(library)
    stored = library.stored(library.find("house/The Lamp Room").id)
    job = start_job(stored, "Episode", folder, lambda _html, path, *_more: path.write_bytes(b"%PDF"), "Runa").folder
    write_material(job, taken_in((), sorted((demo / "clips").glob("lamp*.*"))))
    write_record(
        job,
        [
            VerificationRecord(
                {"path": "/x/y.mxf", "sha256": "0" * 64, "verdict": "passes", "checks": []}, "2026-12-01T10:00:00+00:00"
            )
        ],
    )
    _write(job, RenderAnswers({"bay": "/media/cache"}, ("/home/x",)))
    mark(job)
    export_file(stored.template, folder / "template.json")
    export_entry(entry_named(library, "Harbour Six"), folder / "entry.json")
    export_bundle([stored], folder / "bundle.zip")
    profiles.exported(Preferences(), folder / "profile.json")
    write_aaf(folder / "cut.aaf")
    (folder / "screen.bin").write_bytes(edid([FULL, FIELDS], [16, 20], HDR))
    library.close()
    return {
        "timeline": next(demo.glob("cuts/*.otio")),
        "list": next(demo.glob("cuts/*.edl")),
        "AAF": folder / "cut.aaf",
        "EDID": folder / "screen.bin",
        "mark": job / PROOF,
        "job": job / JOB_FILE,
        "material": job / MATERIAL_FILE,
        "files handed over": job / RECORD_FILE,
        "answers": job / ANSWERS_FILE,
        "template": folder / "template.json",
        "entry": folder / "entry.json",
        "bundle": folder / "bundle.zip",
        "profile": folder / "profile.json",
    }


def turned(given: Any, chance: random.Random) -> Any:
    """Return a JSON value with one to four of its places holding something else."""
    for _ in range(chance.randint(1, 4)):
        places = list(_places(given))
        if not places:
            return copy.deepcopy(chance.choice(_ODD))
        holder, key = chance.choice(places)
        match chance.randrange(4):
            case 0:
                del holder[key]
            case 1:
                other, its = chance.choice(list(_places(given)) or [(holder, key)])
                holder[key] = json.loads(json.dumps(other[its]))
            case _:
                holder[key] = copy.deepcopy(chance.choice(_ODD))
    return given


def _places(given: Any) -> Iterator[tuple[Any, Any]]:
    keys = list(given) if isinstance(given, dict) else range(len(given)) if isinstance(given, list) else ()
    for key in keys:
        yield given, key
        yield from _places(given[key])


def files(seed: bytes, number: int) -> bytes:
    """Return the mutated file of a number: bytes turned, or, of JSON every other time, its structure."""
    from tests.media.mutated import mutated

    if number % 2:
        try:
            whole = json.loads(seed)
        except ValueError:
            whole = None
        if whole is not None:
            try:
                return json.dumps(turned(whole, random.Random(number))).encode()
            except ValueError:
                pass
    if number % 97 == 0:
        return seed[: len(seed) // 2] + b"[" * 200_000
    return mutated(seed, np.random.default_rng(number))


def _read(kind: str, seed: bytes, path: Path, first: int, count: int, back: Connection) -> None:
    """Read files of one kind, and tell the parent of each before it is read and of each traceback."""
    from idle_quarry.errors import QuarryError

    read = readers()[kind]
    for number in range(first, first + count):
        path.write_bytes(files(seed, number))
        back.send(("reads", number))
        try:
            read(path)
        except QuarryError as error:
            if "\n" in str(error).strip() or not str(error).strip():
                back.send(("failed", f"{kind} {number}: no sentence: {str(error)[:200]!r}"))
        except Exception:
            back.send(("failed", f"{kind} {number}: {traceback.format_exc()[-400:]}"))
    lines = Path("/proc/self/status").read_text().splitlines()  # `ru_maxrss` would begin with the parent's
    back.send(("done", next(int(line.split()[1]) for line in lines if line.startswith("VmHWM:")) / 1000))


def attack(kind: str, seed: bytes, path: Path, count: int) -> tuple[list[str], float]:
    """Read so many mutated files of a kind; return what failed, and how much memory its process took (MB)."""
    failures, first, most, context = list[str](), 0, 0.0, multiprocessing.get_context("spawn")
    while first < count:
        back, there = context.Pipe(duplex=False)
        process = context.Process(target=_read, args=(kind, seed, path, first, count - first, there))
        process.start()
        there.close()
        reads = first
        while True:
            try:
                if not back.poll(_MOST_S if reads > first else 90):
                    failures.append(f"{kind} {reads}: hangs")
                    process.kill()
                    break
                what, value = back.recv()
            except EOFError:
                failures.append(f"{kind} {reads}: the process ended")
                break
            if what == "done":
                most, reads = max(most, value), count
                break
            if what == "reads":
                reads = value
            else:
                failures.append(value)
        process.join()
        first = reads + (reads < count)
    return failures, most


def main() -> None:
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
    with tempfile.TemporaryDirectory(prefix="quarry-fuzzing-") as name:
        folder = Path(name)
        for place in ("DATA", "STATE", "CONFIG", "CACHE"):
            os.environ[f"XDG_{place}_HOME"] = str(folder / place)
        whole = seeds(folder)
        print(f"{wanted} mutated files; {machine()}", flush=True)
        failed = 0
        for kind, seed in whole.items():
            if sys.argv[2:] and kind not in sys.argv[2:]:
                continue
            count = max(1, wanted // len(whole) // (10 if kind == "AAF" else 1))
            attacked = folder / "attacked" / kind / seed.name
            attacked.parent.mkdir(parents=True)
            begun = time.monotonic()
            failures, most = attack(kind, seed.read_bytes(), attacked, count)
            failures += [f"{kind}: {most:.0f} MB"] if most > _MOST_MB else []
            failed += len(failures)
            print(
                f"  {kind}: {count} files in {time.monotonic() - begun:.0f} s, {most:.0f} MB, {len(failures)} failures",
                flush=True,
            )
            for failure in failures[:6]:
                print(f"    {failure}", flush=True)
    sys.exit(1 if failed else 0)


if __name__ == "__main__":
    main()
