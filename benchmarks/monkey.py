"""Ten thousand random events at the window over five seeds: every page reached, no exception, no warning of Qt's,
no memory kept.

Each seed works in a process of its own, on a screen of its own (Xvfb, where there is one) and a demo of its own, with
its jobs, clips, lists of cuts, equipment, a render and a delivery; the last seed works on a server. `monkey.py [events]
[seeds]`.

It fails on an exception or a warning, where a view or a page of a job was never in front, where a window stays, and
where memory at rest is more than 150 MB above what it was at rest after every page had been opened once.
"""

from __future__ import annotations

import argparse
import ctypes
import gc
import os
import random
import shutil
import subprocess
import sys
import tempfile
import threading
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from common import ROOT, machine
from PySide6.QtCore import QEventLoop, QTimer

if TYPE_CHECKING:
    from idle_quarry.app.shell.window import MainWindow
    from idle_quarry.library import Library

sys.path.insert(0, str(ROOT))
#: How much more memory than at the beginning may be held at rest, MB.
_MOST_KEPT_MB = 150.0


def _resident_mb() -> float:
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmRSS:")) / 1000


def _settle(window: MainWindow) -> None:
    """Go to the shelf, stop what goes on by itself, and wait until the rest is done and its memory given back.

    What still goes on after three minutes is told, with where its thread is.
    """
    desk = window.desk
    window.show_view("Library")
    gc.collect()  # as the application does now and then
    desk.proof.pictures.player.stop()
    desk.proof.codecs.cancel()
    desk.jobs.trial.player.stop()
    begun = quiet = time.monotonic()
    asked = Counter[str]()
    start = desk.workers.start

    def counting_start(work: Callable[..., Any], *more: Any, **named: Any) -> Any:
        """Count who asks for work while nothing should go on."""
        asked[getattr(work, "__qualname__", str(work))] += 1
        return start(work, *more, **named)

    desk.workers.start = counting_start  # type: ignore[method-assign]
    while time.monotonic() - quiet < 4:
        _wait(50)
        quiet = quiet if desk.workers.idle else time.monotonic()
        if time.monotonic() - begun > 180:
            print(f"  no rest came in three minutes; asked for: {asked}", *_under_way(), sep="\n    ", flush=True)
            break
    del desk.workers.start


def _under_way() -> list[str]:
    """Return where each thread of the window's is."""
    names = {thread.ident: thread.name for thread in threading.enumerate()}
    return [
        f"{names.get(number, '?')}: "
        + " < ".join(f"{step.name}:{step.lineno}" for step in reversed(traceback.extract_stack(frame)[-8:]))
        for number, frame in sys._current_frames().items()
        if names.get(number, "").startswith("quarry")
    ]


def _wait(milliseconds: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def _holders(most: int = 12) -> list[str]:
    """Return who holds arrays and pictures of more than a megabyte: the class, how many there are, and their
    megabytes.
    """
    import numpy as np
    from PySide6.QtGui import QImage, QPixmap

    held: Counter[str] = Counter()
    counts: Counter[str] = Counter()
    counted: set[int] = set()
    for owner in gc.get_objects():
        for value in gc.get_referents(owner):
            if id(value) in counted or not isinstance(value, np.ndarray | bytes | bytearray | QImage | QPixmap):
                continue
            size = (
                value.nbytes
                if isinstance(value, np.ndarray)
                else len(value)
                if isinstance(value, bytes | bytearray)
                else value.width() * value.height() * 4
            )
            if size < 100_000 or (isinstance(value, np.ndarray) and value.base is not None):
                continue
            counted.add(id(value))
            chain, at = [type(owner).__name__], owner
            for _ in range(3):  # what holds the list or dict that holds it
                above = [
                    one
                    for one in gc.get_referrers(at)
                    if type(one).__name__ not in ("frame", "list_iterator", "Counter")
                ]
                if not above:
                    break
                at = above[0]
                chain.append(type(at).__name__)
            name = f"{type(value).__name__} in {' in '.join(chain)}"
            held[name] += size
            counts[name] += 1
    native = Counter(
        type(owner).__name__
        for owner in gc.get_objects()
        if type(owner).__name__ in ("InputContainer", "OutputContainer", "VideoCodecContext", "Reader", "ClipReader")
    )
    from PySide6.QtWidgets import QApplication

    things = Counter(type(owner).__name__ for owner in gc.get_objects())
    widgets = Counter(type(widget).__name__ for widget in QApplication.allWidgets())
    return [
        f"things: {things.most_common(8)}; {sum(widgets.values())} widgets: {widgets.most_common(6)}",
        *(f"{size / 1e6:.0f} MB, {counts[name]} × {name}" for name, size in held.most_common(most)),
        f"of the C library {_in_use_mb():.0f} MB are in use; open: {dict(native)};"
        f" {_given_back_mb():.0f} MB can be given back",
    ]


def _given_back_mb() -> float:
    """Return how much a rest would have given back: it was not one, if that is much."""
    before = _resident_mb()
    ctypes.CDLL(None).malloc_trim(0)
    return before - _resident_mb()


def _in_use_mb() -> float:
    """Return what the C library has given out and was not given back (mallinfo2(3))."""
    names = ("arena", "ordblks", "smblks", "hblks", "hblkhd", "usmblks", "fsmblks", "uordblks", "fordblks", "keepcost")
    kind = type("Mallinfo", (ctypes.Structure,), {"_fields_": [(name, ctypes.c_size_t) for name in names]})
    ask = ctypes.CDLL(None).mallinfo2
    ask.restype = kind
    facts = ask()
    return float(facts.uordblks + facts.hblkhd) / 1e6


def _open_everything(window: MainWindow) -> None:
    """Show every view, and every page of every job, once."""
    from idle_quarry.app.models.jobs.job_list import PAGES
    from idle_quarry.app.views.registry import VIEWS

    desk = window.desk
    desk.documents.open_stored(desk.library.find("house/The Lamp Room").id)
    for view in VIEWS:
        window.show_view(view.name)
        _wait(1000)
        _settle(window)
    for record in desk.jobs.records:
        desk.jobs.choose(record.id)
        for page in PAGES:
            window.show_view("Jobs")
            desk.jobs.show_page(page)
            _wait(1000)
            _settle(window)


class _Server:
    """A server with the demo's templates and jobs, and the library that an editor has of it."""

    def __init__(self, demo: Library) -> None:
        from tests.postgres import PrivateServer

        from idle_quarry.demo.templates import house_shelf
        from idle_quarry.library.server.at_hand import AtHand
        from idle_quarry.library.server.setup import set_up

        self._server = PrivateServer()
        self._server.start()
        self._server.database("house")
        set_up(self._server.url("keeper", "house"), {"Runa": "editor", "Tamsin": "approver"})
        self.library = AtHand(self._server.url("Runa", "house"), "Runa")
        for history in house_shelf():
            self.library.save_new(history[-1].template, "house", "taken over")
        for job in demo.jobs():
            stored = self.library.stored(self.library.find(f"house/{job.template_name}").id)
            self.library.record_job(job.title, Path(job.folder), stored)
        demo.close()

    def close(self) -> None:
        self._server.close()


def _work(seed: int, events: int, *, on_server: bool) -> int:
    """Let one monkey work; return 1 where something is wrong."""
    folder = Path(tempfile.mkdtemp(prefix="quarry-monkey-"))
    for name in ("DATA", "STATE", "CONFIG", "CACHE"):
        os.environ[f"XDG_{name}_HOME"] = str(folder / name)
    from PySide6.QtWidgets import QApplication
    from tests.app.monkey import Monkey

    from idle_quarry.app.appearance.style import prepare
    from idle_quarry.app.appearance.theme import theme
    from idle_quarry.app.desk import Desk
    from idle_quarry.app.models.jobs.job_list import PAGES
    from idle_quarry.app.preferences import Preferences
    from idle_quarry.app.shell.window import MainWindow
    from idle_quarry.app.views.registry import VIEWS
    from idle_quarry.library import open_library
    from idle_quarry.places import DEMO, library_place

    app = QApplication([])
    prepare(app)
    theme.apply(app, "dim room", 100)
    # made by another process: what it takes of memory is none of the window's
    subprocess.run([sys.executable, "-m", "idle_quarry.demo.finish"], check=True)
    place = library_place(DEMO)
    library = open_library(place, "Runa")
    server = _Server(library) if on_server else None
    library = server.library if server is not None else library
    desk = Desk(library, Preferences(jobs_folder=str(folder)))
    window = MainWindow(desk)
    window.show()
    files = [folder / name for name in ("junk.json", "junk.zip", "junk.mov")]
    for path in files:
        path.write_bytes(b"PK\x03\x04 no archive" * 20)
    clips, lists = sorted((place.parent / "clips").glob("*.m*"))[:4], sorted((place.parent / "cuts").iterdir())[:3]
    monkey = Monkey([*files, *clips, *lists, folder / "gone.mov"], random.Random(seed))
    desk.jobs.reload()
    _settle(window)
    _open_everything(window)
    base = most = _resident_mb()
    kept, lines = base, set[str]()
    print(
        f"seed {seed}{' on a server' if on_server else ''}: {base:.0f} MB after every page was opened once", flush=True
    )
    for part in range(4):
        monkey.run(events // 4)
        most = max(most, _resident_mb())
        _settle(window)
        kept = _resident_mb()
        for failure in sorted(set(monkey.failures) - lines)[:20]:
            lines.add(failure)
            print(f"  {failure[-900:]}")
        print(
            f"  {(part + 1) * events // 4}: {len(monkey.failures)} failures, {monkey.most_windows} windows at the most,"
            f" {kept:.0f} MB at rest, {most:.0f} under way",
            flush=True,
        )
        if kept > base + _MOST_KEPT_MB:
            print(f"  {kept - base:.0f} MB are kept{'' if desk.workers.idle else ' (not at rest)'}:")
            print("\n".join(f"    {line}" for line in _holders()), flush=True)
    missed = [name for name in (*(view.name for view in VIEWS), *PAGES) if not monkey.reached[name]]
    if missed:
        print(f"  never in front: {', '.join(missed)}")
    failed = bool(monkey.failures or missed or monkey.most_windows > 2 or kept > base + _MOST_KEPT_MB)
    desk.close()
    if server is not None:
        server.close()
    shutil.rmtree(folder, ignore_errors=True)
    return int(failed)


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("events", type=int, nargs="?", default=10_000)
    asked.add_argument("seeds", type=int, nargs="?", default=5)
    asked.add_argument("--seed", type=int)
    asked.add_argument("--server", action="store_true")
    given = asked.parse_args()
    if given.seed is not None:
        status = _work(given.seed, given.events, on_server=given.server)
        sys.stdout.flush()
        os._exit(status)  # threads of what was never waited for go along
    print(f"{given.events} random events over {given.seeds} seeds; {machine()}", flush=True)
    screen = ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24"] if shutil.which("xvfb-run") else []
    environment = {**os.environ} if screen else {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    failed = 0
    for number in range(given.seeds):
        command = [*screen, sys.executable, __file__, str(given.events // given.seeds), "--seed", str(2026 + number)]
        if number == given.seeds - 1:
            command.append("--server")
        failed += subprocess.run(command, env=environment, check=False).returncode != 0
    print("passed" if not failed else f"{failed} of {given.seeds} seeds failed")
    sys.exit(1 if failed else 0)


if __name__ == "__main__":
    main()
