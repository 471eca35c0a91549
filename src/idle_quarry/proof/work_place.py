"""Whether a folder will do to keep work in: what it lies on, whether it can be written, whether it is fast enough."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from idle_quarry.counting import counted
from idle_quarry.files import is_folder
from idle_quarry.path.findings.coding import MARGIN
from idle_quarry.proof.disks import DiskError, Speed, volume_of

#: An hour of work with its renders, and room to breathe: less than this is too little to begin with.
_LEAST_FREE = 100 * 10**9


@dataclass(frozen=True)
class Verdict:
    """One thing that is said of a place: how grave, and what."""

    severity: str
    text: str


def judged(path: Path, speed: Speed | None, needed_mb_s: float) -> list[Verdict]:
    """Return what is to be said of a folder as a place of work, the gravest first; `speed` where it was measured."""
    if not str(path).strip() or str(path) == ".":
        return [Verdict("stop", "Say where work is kept: a fast disk of its own, never the system disk.")]
    if not path.is_absolute():
        return [Verdict("stop", f"{path}: say the whole path, from /.")]
    if not is_folder(path):
        return [Verdict("stop", f"{path} is not there: make the folder first, or choose another.")]
    try:
        volume = volume_of(path)
    except DiskError as error:
        return [Verdict("stop", str(error))]
    verdicts = []
    if not volume.writable:
        verdicts.append(Verdict("stop", f"{path} may not be written by this person."))
    if volume.kind == "system":
        verdicts.append(
            Verdict("stop", f"{path} lies on the system disk: renders would fill it, and the machine with it.")
        )
    elif volume.kind == "memory":
        verdicts.append(Verdict("stop", f"{path} lies in the machine's memory: it is gone with the power."))
    elif volume.kind == "network":
        verdicts.append(
            Verdict("caution", f"{path} lies on a network share: it is as fast as whoever else uses it lets it be.")
        )
    else:
        verdicts.append(Verdict("note", f"{path} lies on a disk of its own ({volume.filesystem})."))
    if volume.free < _LEAST_FREE:
        verdicts.append(Verdict("caution", f"{volume.free / 1e9:.0f} GB are free, which is little to begin with."))
    else:
        verdicts.append(Verdict("note", f"{volume.free / 1e9:.0f} GB are free."))
    if speed is None:
        verdicts.append(Verdict("note", "How fast it is has not been measured yet."))
    elif needed_mb_s:
        able = speed.read_mb_s * MARGIN / needed_mb_s
        text = f"It reads {speed.read_mb_s:.0f} MB/s; a stream of what is chosen takes up to {needed_mb_s:.0f}"
        if able < 1:
            verdicts.append(Verdict("stop", f"{text}: too slow, with a fifth kept in hand."))
        else:
            verdicts.append(Verdict("note", f"{text}: {counted(int(able), 'stream')}, a fifth kept in hand."))
    order = ("stop", "caution", "note")
    return sorted(verdicts, key=lambda verdict: order.index(verdict.severity))
