"""The demo's finished work: an episode that was handed over with one hidden fault, and a file from elsewhere with six.

Made once, behind the window, by the program's own conversions: `python -m idle_quarry.demo.finish`. A part of the
episode was brought in by another room with its fields the wrong way round, so that the delivery made of it fails in one
place.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import wave
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from idle_quarry.demo import sheet_seven
from idle_quarry.demo.lay_out import clips_folder
from idle_quarry.demo.scenes import SCENES
from idle_quarry.files import locked
from idle_quarry.jobs.check import check_job
from idle_quarry.jobs.cutting import edits
from idle_quarry.jobs.cutting.timeline import PICTURE, SOUND, Media, TimelineItem
from idle_quarry.jobs.cutting.timeline_files import keep, read_timeline, timelines_in
from idle_quarry.jobs.folder_plan import BROUGHT_IN
from idle_quarry.jobs.handover.make import make
from idle_quarry.jobs.left_over import list_job
from idle_quarry.jobs.material import BroughtInFile, bring_in, class_of, taken_in, with_part, write_material
from idle_quarry.jobs.renders.status import programmes_of, stock_of
from idle_quarry.jobs.start import WritePdf, start_job
from idle_quarry.library import Library, open_library
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.looking import look
from idle_quarry.media.pictures import Reader
from idle_quarry.path.registry import codecs
from idle_quarry.picture.patterns.bars import ycbcr_codes
from idle_quarry.places import DEMO, DEMO_PERSON, library_place
from idle_quarry.signal import SignalFormat, format_from_words
from idle_quarry.signal.timecode import start_timecode

TITLE = "Lamp Room episode 2"
#: What the episode shows, in its order, from which frame on; the fourth was brought in elsewhere.
_SHOTS = (
    ("lamp tape 014.mpg", 0),
    ("lamp scan 3.mov", 2),
    ("lamp tape 031 edges.mpg", 0),
    ("lamp tape 030 letterbox.mpg", 0),
    ("lamp scan 3.mov", 0),
    ("lamp tape 014.mpg", 4),
)
_ELSEWHERE, _LENGTH = 3, 44


def _foreign() -> Path:
    return library_place(DEMO).parent / "hand-overs" / "lamp room 1 from elsewhere.mov"


def _delivered() -> Path:
    return library_place(DEMO).parent / "jobs" / TITLE / "06 Deliveries" / "lamp room 2.mxf"


def is_finished() -> bool:
    """Return whether the demo's finished work is there."""
    return _foreign().exists() and _delivered().exists() and sheet_seven.delivered().exists()


def finish(library: Library, write_pdf: WritePdf) -> None:
    """Make the episode's job with its delivery, the file from elsewhere, and the week of *Sheet Seven*, where they are
    not there yet.

    Raises `QuarryError`.
    """
    delivered, foreign = _delivered(), _foreign()
    folder = delivered.parent.parent
    if not folder.exists():
        stored = library.stored(library.find("house/The Lamp Room").id)
        list_job(library, start_job(stored, TITLE, folder.parent, write_pdf, "Wren"), TITLE, stored, "Wren")
    if not delivered.exists():  # never begun, or cut off
        shutil.rmtree(folder / BROUGHT_IN, ignore_errors=True)
        _cut(folder)
        _deliver(folder, delivered)
    if not foreign.exists():
        foreign.parent.mkdir(exist_ok=True)
        make_foreign(foreign)
    sheet_seven.make_week(library, write_pdf)


def _cut(folder: Path) -> None:
    """Give the episode its clips, one of them brought in elsewhere, its mix, and its programme."""
    job = check_job(folder)
    clips = [clips_folder() / name for name, _ in _SHOTS]
    entries = list(taken_in((), dict.fromkeys(clips)))
    number = next(n for n, entry in enumerate(entries) if entry.path == clips[_ELSEWHERE])
    clip = look(clips[_ELSEWHERE])
    source, _match = class_of(entries[number], clip, job.template)
    assert source is not None
    part = bring_in(entries[number], clip, source, job.template, folder, lambda _share: None)
    turned(part, job.template.intermediate_format)
    entries[number] = with_part(entries[number], part)
    music, frames = folder / "05 Mix" / "lamp room 2 mix.wav", len(_SHOTS) * _LENGTH
    _mix(music, frames / 25)
    write_material(folder, [*entries, *taken_in((), [music])])
    path = timelines_in(folder)[0]
    timeline = read_timeline(path, job.template.working.format.rate)
    empty = replace(timeline, tracks=tuple(replace(track, items=()) for track in timeline.tracks))
    picture, sound = (next(track.ident for track in empty.tracks if track.kind == kind) for kind in (PICTURE, SOUND))
    result = empty
    for index, ((_name, begins), file) in enumerate(zip(_SHOTS, clips, strict=True)):
        shown = part.path if index == _ELSEWHERE else file
        result = edits.add(result, [(picture, _item(shown, 50, _LENGTH, begins))])
    keep(path, edits.lay_over(result, 0, [(sound, _item(music, frames, frames))]))


def _item(path: Path, frames: int, length: int, begins: int = 0) -> TimelineItem:
    media = Media(path.stem, Fraction(25), str(path), frames=frames)
    return TimelineItem(0, path.stem, 0, length, media=media, begins=Fraction(begins))


def _deliver(folder: Path, delivered: Path) -> None:
    """Make the delivery; who did it did not look at what verifying said."""
    job = check_job(folder)
    programme = programmes_of(job, stock_of(folder, job.template))[0]
    delivery = next(delivery for delivery in job.template.deliveries if delivery.id == "sd-50")
    make(job, programme, delivery, delivered.parent).path.rename(delivered)


def turned(part: BroughtInFile, fmt: SignalFormat) -> None:
    """Write a part anew with its fields the wrong way round: each picture a line lower, its flags as they were."""
    codec = codecs()[part.codec]
    with Reader(part.path, inspect(part.path).declared) as reader, ClipWriter(part.path, codec, fmt) as writer:
        for picture in reader.onward(0):
            writer.write([np.roll(plane, 1, axis=0) for plane in (picture.luma, *(picture.chroma or ()))])
        writer.finish()


def _murmur(seconds: float, seed: int) -> NDArray[np.float64]:
    """Return a murmur with swells, shape (samples, 2), about −26 LUFS."""
    rng = np.random.default_rng(seed)
    count = int(seconds * 48000)
    rough = rng.standard_normal((count + 63, 2))
    soft = np.stack([np.convolve(rough[:, number], np.hanning(64) / 32, "valid") for number in (0, 1)], axis=1)
    swell = 1 + 0.4 * np.sin(2 * np.pi * np.arange(count) / 48000 / 3.7)
    return np.asarray(0.16 * soft * swell[:, None], np.float64)


def _mix(path: Path, seconds: float) -> None:
    with wave.open(str(path), "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(2)
        file.setframerate(48000)
        file.writeframes((_murmur(seconds, 2) * 32767).astype("<i2").tobytes())


def make_foreign(path: Path) -> None:
    """Write twelve seconds that should be a broadcast delivery in SD: in six ways they are none.

    The container; the shape that it declares; fields the wrong way round in seconds 3 to 6; flashes in seconds 8 to 10;
    nothing on the right; too loud.
    """
    fmt, codec, rate = format_from_words("576i25 16:9 8 bit"), codecs()["d10-50"], 25
    start = start_timecode("10:00:00:00", False, Fraction(rate))
    heard = 4 * _murmur(12, 5)
    heard[:, 1] = 0
    samples = np.clip(heard * 2**31, -(2**31), 2**31 - 1).astype(np.int32)
    with ClipWriter(path, codec, fmt, start=start, sound=WrittenSound(2)) as writer:
        for number in range(12 * rate):
            first = int(3 * rate <= number < 6 * rate)
            woven = np.empty((576, 720, 3))
            for later in (0, 1):
                at = (number + later / 2) / rate + 0.3
                line = (first + later) % 2
                woven[line::2] = SCENES["passing train"](at % 5, 720, 576)[line::2]
            if 8 * rate <= number < 10 * rate:
                woven *= 1.0 if number % 4 < 2 else 0.1
            writer.write(ycbcr_codes(woven, fmt.encoding), samples[number * 1920 : (number + 1) * 1920])
        writer.finish()


def main() -> None:
    """Finish the demo of whoever runs this, behind what they do."""
    from idle_quarry.demo.lay_out import lay_out
    from idle_quarry.printing import write_pdf

    with contextlib.suppress(OSError):
        os.nice(10)
    lay_out(write_pdf)
    library = open_library(library_place(DEMO), DEMO_PERSON)
    try:
        with locked(library_place(DEMO).parent / "jobs"):  # another window's may be at it
            finish(library, write_pdf)
    finally:
        library.close()


if __name__ == "__main__":
    main()
