"""One piece's turn, whoever gives it out: rendered into its store, with word of how far it is, waiting where all
wait or a disk is full.
"""

from __future__ import annotations

import contextlib
import errno
import shutil
import threading
import time
from pathlib import Path
from typing import Protocol

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.renders.making import render
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.path.codecs import mbps

#: Seconds between two words of how far it is, and between two looks whether a full disk has room again, or a pause has
#: ended.
_BEAT_S, LOOK_S = 0.7, 0.5
#: Room that must be there besides what a piece needs before a full disk is tried again.
_SPARE = 64 << 20


class WorkStopped(Exception):
    """The worker is to end, or the piece is no longer its own."""


class TaskSource(Protocol):
    """Who gave a piece out."""

    def alive(self, done: int, text: str = "") -> bool:
        """Take word of how many frames are done and what keeps it.

        Return whether the piece is still the worker's own.
        """

    @property
    def paused(self) -> bool:
        """Whether all are to wait."""


class TaskRun:
    """A worker's time with one thing it does; `stop` may be set from anywhere."""

    def __init__(self, giver: TaskSource, stop: threading.Event) -> None:
        self._giver, self._stop = giver, stop
        self._reported_at = 0.0

    def report(self, done: int) -> None:
        """Hear how far it is, and wait where all wait. Raises `WorkStopped`."""
        if self._stop.is_set():
            raise WorkStopped
        if time.monotonic() - self._reported_at >= _BEAT_S:
            self.say(done)
            while self._giver.paused and not self._stop.is_set():
                self._stop.wait(LOOK_S)
                self.say(done)

    def say(self, done: int, text: str = "") -> None:
        """Tell how far it is now. Raises `WorkStopped` where it is no longer the worker's own."""
        self._reported_at = time.monotonic()
        if not self._giver.alive(done, text):
            raise WorkStopped

    def room(self, folder: Path, needed: int) -> None:
        """Wait until a full disk has room.

        Raises `WorkStopped` where the worker is to end meanwhile, or nobody wants it any more.
        """
        text = f"the disk is full: it goes on when {needed // 1_000_000} MB are free"
        while not self._stop.wait(LOOK_S):
            self.say(0, text)
            with contextlib.suppress(OSError):
                if shutil.disk_usage(folder).free >= needed:
                    return
        raise WorkStopped


def rendered(recipe: Recipe, store: RenderStore, turn: TaskRun) -> float:
    """Render a piece where it is not there yet; return the seconds that took, 0 where it was.

    Raises `WorkStopped`, and `QuarryError` where it cannot be rendered. A full disk is waited for.
    """
    if store.find(recipe) is not None:
        return 0.0
    while True:
        begun = time.monotonic()
        try:
            store.render(recipe, lambda recipe, path: render(recipe, path, lambda done, _of: turn.report(done)))
        except QuarryError as error:
            if not _is_full(error):
                raise
            needed = int(mbps(recipe.codec, recipe.format) * 1e6 / 8 * recipe.frames / recipe.format.rate) + _SPARE
            turn.room(store.folder, needed)
            continue
        return time.monotonic() - begun


def _is_full(error: BaseException) -> bool:
    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, OSError) and cause.errno in (errno.ENOSPC, errno.EDQUOT):
            return True
        cause = cause.__cause__
    return False
