"""The demo's work of the 59.94 Hz show: a week of the league, cut from tapes of both counts, film and 480 lines, with a
list that was cut elsewhere and has its faults, and a delivery of which somebody looks at the film.

Made once, behind the window, with the rest of the demo's finished work.
"""

from __future__ import annotations

import shutil
import wave
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from idle_quarry.demo.lay_out import clips_folder
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, Media, TimelineItem
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.handover.make import make
from idle_quarry.jobs.left_over import list_job
from idle_quarry.jobs.material import taken_in, write_material
from idle_quarry.jobs.renders.status import programmes_of, stock_of
from idle_quarry.jobs.start import WritePdf, start_job
from idle_quarry.library import Library
from idle_quarry.media.clip import Clip
from idle_quarry.media.looking import look
from idle_quarry.places import DEMO, library_place

TITLE = "Sheet Seven week 3"
LIST = "sheet seven week 3.edl"
#: What the week shows, in its order: interlaced and progressive cameras, a non-drop tape of 480 lines, a 2:3 transfer,
#: film at 23.976.
SHOTS = (
    "stone fixed 2.mxf",
    "stone roaming 1.mov",
    "stone reel 2 non-drop.mov",
    "train 03 for broadcast.mxf",
    "train 03.mov",
)
_LENGTH = 16
#: Clips that fit no class of the template, by the class that they were taken as.
_CLASSES = {"stone reel 2 non-drop.mov": "fixed", "train 03.mov": "roaming"}


def delivered() -> Path:
    """Return where the week's delivery lies."""
    return library_place(DEMO).parent / "jobs" / TITLE / "06 Deliveries" / "sheet seven 3.mxf"


def make_week(library: Library, write_pdf: WritePdf) -> None:
    """Make the week's job with its programme and delivery, where they are not there yet. Raises `QuarryError`."""
    final = delivered()
    folder = final.parent.parent
    if not folder.exists():
        stored = library.stored(library.find("house/Sheet Seven").id)
        list_job(library, start_job(stored, TITLE, folder.parent, write_pdf, "Tamsin"), TITLE, stored, "Tamsin")
        shutil.copyfile(library_place(DEMO).parent / "cuts" / LIST, folder / "02 Cuts" / LIST)
    if final.exists():
        return
    _cut(folder)
    job = check_job(folder)
    programme = programmes_of(job, stock_of(folder, job.template))[0]
    delivery = next(delivery for delivery in job.template.deliveries if delivery.id == "hd-59")
    make(job, programme, delivery, final.parent).path.rename(final)


def _cut(folder: Path) -> None:
    """Give the week its clips, its mix in six channels, and its programme."""
    rate = check_job(folder).template.working.format.rate
    clips = [look(clips_folder() / name) for name in SHOTS]
    mix, frames = folder / "05 Mix" / "sheet seven 3 mix.wav", len(SHOTS) * _LENGTH
    _write_mix(mix, float(frames / rate))
    entries = taken_in((), [*(clip.path for clip in clips), mix])
    write_material(folder, [replace(entry, source=_CLASSES.get(entry.path.name, "")) for entry in entries])
    path = timelines_in(folder)[0]
    timeline = read_timeline(path, rate)
    result = replace(timeline, tracks=tuple(replace(track, items=()) for track in timeline.tracks))
    picture, sound = (next(track.ident for track in result.tracks if track.kind == kind) for kind in (PICTURE, SOUND))
    for clip in clips:
        result = edits.add(result, [(picture, _shot(clip))])
    media = Media(mix.stem, rate, str(mix), frames=frames)
    keep(path, edits.lay_over(result, 0, [(sound, TimelineItem(0, mix.stem, 0, frames, media=media))]))


def _shot(clip: Clip) -> TimelineItem:
    declared = clip.declared
    rate, count = declared.rate or Fraction(30), declared.frames or 1
    media = Media(clip.path.stem, rate, str(clip.path), frames=count)
    return TimelineItem(0, clip.path.stem, 0, _LENGTH, media=media, begins=Fraction(2))


def _write_mix(path: Path, seconds: float) -> None:
    """Write a murmur in six channels, the lowest alone in the one for low frequencies."""
    rng = np.random.default_rng(7)
    count = int(seconds * 48000)
    rough = rng.standard_normal((count + 63, 6))
    soft: NDArray[np.float64] = np.stack(
        [np.convolve(rough[:, number], np.hanning(64) / 32, "valid") for number in range(6)], axis=1
    )
    soft[:, 3] = 0.3 * np.sin(2 * np.pi * 45 * np.arange(count) / 48000)
    with wave.open(str(path), "wb") as file:
        file.setnchannels(6)
        file.setsampwidth(2)
        file.setframerate(48000)
        file.writeframes((np.clip(0.08 * soft, -1, 1) * 32767).astype("<i2").tobytes())
