"""A machine lent to its house: when it is, and its workers while it is."""

from __future__ import annotations

import contextlib
import os
import re
import subprocess
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from idle_quarry.errors import NotUnderstood
from idle_quarry.jobs.lending.task_server import SERVER, WORKER
from idle_quarry.jobs.renders.crew import Crew
from idle_quarry.places import settings_folder

#: A machine on which nobody did anything for so many seconds is nobody's just now.
IDLE_S = 600.0
#: Touched by the window while somebody works in it.
_TOUCHED = "worked"


@dataclass(frozen=True)
class LendingOffer:
    """When a machine is lent: between two hours of the day (None: at any), only while nobody works on it, on how
    many processors (0: all).
    """

    hours: tuple[int, int] | None = None
    only_idle: bool = False
    cores: int = 0

    def why_not(self, now: datetime, idle_s: float) -> str:
        """Return why it is not lent just now, "" where it is."""
        if self.hours is not None:
            first, last = self.hours
            inside = first <= now.hour < last if first < last else now.hour >= first or now.hour < last
            if not inside:
                return f"it is lent from {first}:00 to {last}:00"
        if self.only_idle and idle_s < IDLE_S:
            return "somebody works on it"
        return ""


def hours_of(text: str) -> tuple[int, int] | None:
    """Return the hours in "19-7", None where there is nothing. Raises `NotUnderstood`."""
    if not text.strip():
        return None
    match = re.fullmatch(r"\s*(\d{1,2})(?::00)?\s*-\s*(\d{1,2})(?::00)?\s*", text)
    if match is None or int(match[1]) > 23 or int(match[2]) > 24 or int(match[1]) == int(match[2]):
        raise NotUnderstood("no hours of a day", subject=text, remedy="write them as 19-7")
    return int(match[1]), int(match[2]) % 24


def touched() -> None:
    """Say that somebody works on this machine."""
    with contextlib.suppress(OSError):
        (settings_folder() / _TOUCHED).touch()


def idle_s(terminals: Iterable[Path] | None = None) -> float:
    """Return for how many seconds nobody has done anything on this machine: in this program, at a terminal, or at
    its desktop.
    """
    newest = 0.0
    typed = [*Path("/dev/pts").glob("[0-9]*"), *Path("/dev").glob("tty[1-9]*")] if terminals is None else terminals
    for path in (settings_folder() / _TOUCHED, *typed):
        with contextlib.suppress(OSError):
            result = path.stat()
            newest = max(newest, result.st_mtime if path.name == _TOUCHED else result.st_atime)
    return min(time.time() - newest, _desktop_idle_s())


def _desktop_idle_s() -> float:
    """Return for how long the least idle session with a desktop has been so, as the system's login service says.

    Else for ever.
    """
    try:
        listed = subprocess.run(
            ["loginctl", "list-sessions", "--no-legend"], capture_output=True, text=True, timeout=5, check=True
        ).stdout
        least = float("inf")
        for line in listed.splitlines():
            text = subprocess.run(
                ["loginctl", "show-session", line.split()[0], "-p", "Type", "-p", "IdleHint", "-p", "IdleSinceHint"],
                capture_output=True,
                text=True,
                timeout=5,
                check=True,
            ).stdout
            data = dict(splitline.split("=", 1) for splitline in text.splitlines() if "=" in splitline)
            if data.get("Type") in ("x11", "wayland", "mir"):
                since = int(data.get("IdleSinceHint", "0")) / 1e6
                least = min(least, time.time() - since if data.get("IdleHint") == "yes" else 0.0)
        return least
    except (OSError, subprocess.SubprocessError, ValueError, IndexError):
        return float("inf")


class MachineLending:
    """This machine's workers for its house, while it is lent."""

    def __init__(self, url: str, offer: LendingOffer, places: Sequence[Path] = ()) -> None:
        self.offer = offer
        arguments = [part for place in places for part in ("--place", str(place))]
        self._crew = Crew(WORKER, arguments, settings={SERVER: url})

    def look(self) -> str:
        """Have workers, or none, as it is lent just now; return why it is not, "" where it is. Raises `JobError`."""
        why = self.offer.why_not(datetime.now().astimezone(), idle_s() if self.offer.only_idle else 0.0)
        if why:
            self._crew.stop()
        else:
            cores = len(os.sched_getaffinity(0))
            self._crew.start(min(self.offer.cores or cores, cores))
        return why

    def close(self) -> None:
        """End its workers: what they had begun another machine does."""
        self._crew.stop()
