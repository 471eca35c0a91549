"""A delivery made of a job's timeline: what lies before and after it, its pictures, its sound, named, wrapped, verified, sealed.

It is made in a folder of its own beside its place, verified there, and takes its place when it passes. One that fails its own spec is
kept beside it under a name that says so; where it is stopped, nothing is left.
"""

from __future__ import annotations

import contextlib
import secrets
import shutil
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import date
from fractions import Fraction
from itertools import count, takewhile
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from idle_quarry.errors import JobError, NotPossible
from idle_quarry.files import sha256_of
from idle_quarry.jobs.check import CheckedJob
from idle_quarry.jobs.cutting.timeline import Timeline
from idle_quarry.jobs.handover.leaders import Leaders, frames_before, frames_of
from idle_quarry.jobs.handover.programme import Mix, TimelineMaterial
from idle_quarry.jobs.handover.record import note_made
from idle_quarry.jobs.handover.sealing import sealed
from idle_quarry.jobs.handover.sound_checks import mix_of
from idle_quarry.jobs.handover.verify import Verified, layout_of, verify, wrapping_of
from idle_quarry.jobs.renders.standing import Programme
from idle_quarry.jobs.renders.store import Store
from idle_quarry.media.converting import frames_and_speed
from idle_quarry.media.declaring import declare_light
from idle_quarry.media.encode import encoder_pixels
from idle_quarry.media.writing import ClipWriter
from idle_quarry.path.codecs import cannot_hold
from idle_quarry.path.entries.naming import made_name
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.registry import codecs, sound_layouts
from idle_quarry.path.template import Delivered
from idle_quarry.picture.link import Conversion
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode, start_timecode
from idle_quarry.signal.words import format_words
from idle_quarry.sound.meters import LoudnessMeter
from idle_quarry.sound.tone import line_up_tone

#: Hears what is under way and the share that is done; it may raise to stop.
Told = Callable[[str, float], None]
_RATE = 48000
#: A mark in a timeline at which a part ends and a break comes.
BREAK_MARK = "break"


@dataclass(frozen=True)
class HandedOver:
    """What was made: the file, what came of verifying it, and the gain that its sound was given, dB."""

    path: Path
    verified: Verified
    gain_db: float
    frames: int

    @property
    def done(self) -> bool:
        """Whether it may be called done: nothing of it fails."""
        return self.verified.verdict != "fails"


@dataclass(frozen=True)
class _Planned:
    """An item of the file: what it is, how many pictures, whether with tone; of the programme, which of its pictures."""

    what: str
    frames: int
    tone: bool = False
    first: int = 0


def make(
    job: CheckedJob,
    programme: Programme,
    delivery: Delivered,
    folder: Path,
    store: Store | None = None,
    told: Told | None = None,
) -> HandedOver:
    """Make a delivery of a timeline into a folder. `told` hears how far it is, and may raise to stop; then nothing is left.

    Raises `NotPossible` where a piece, the codec or the layout refuses, `JobError` where the place does, and `MediaError`.
    """
    say = told or (lambda _what, _share: None)
    codec = codecs()[delivery.codec]
    why = cannot_hold(codec, delivery.format)
    if why:
        raise NotPossible(f"{codec.name} cannot hold it: {why[0]}", subject=format_words(delivery.format))
    if codec.one_picture_a_file:
        raise NotPossible("a hand-over is one file, and this codec has one for each picture", subject=codec.name)
    if not folder.is_dir():
        raise JobError("no such folder", subject=str(folder), remedy="make it first, or choose another")
    layout = layout_of(delivery)
    name = _free_name(job, programme, delivery, folder)
    part = folder / f".{secrets.token_hex(6)}.handover"
    with contextlib.closing(TimelineMaterial(programme, store)) as material:
        timeline = programme.timeline
        assert timeline is not None
        held = encoder_pixels(codec, delivery.format).format
        frames, faster = frames_and_speed(material, held, delivery.policy)
        items = list(_items(layout, frames, timeline, held.rate))
        say("measuring the sound", 0.0)
        gain = _gain(job, timeline, delivery, lambda share: say("measuring the sound", 0.1 * share))
        try:
            part.mkdir()
            _written(
                part / name,
                job,
                timeline,
                delivery,
                material,
                items,
                (held, faster, gain),
                lambda share: say("making it", 0.1 + 0.6 * share),
            )
            found = verify(
                part / name,
                job.template,
                delivery,
                job.revision,
                lambda what, share: say(f"verifying: {what}", 0.7 + 0.3 * share),
            )
            found = _with_light(part / name, job, delivery, found)
            final = _placed(part / name, folder, found)
        except OSError as error:
            raise JobError(
                f"it could not be written ({error.strerror})", subject=str(folder), remedy="choose a folder with room"
            ) from error
        finally:
            shutil.rmtree(part, ignore_errors=True)
    parts, at = [], 0
    for item in items:
        if item.what == "programme":
            parts.append({"first": at, "frames": item.frames, "shows": item.first})
        at += item.frames
    # which of the timeline's frames each part of the file shows, and how many of them a picture is
    made_of: dict[str, Any] = {"timeline": programme.name, "parts": parts, "scale": material.frames / max(1, frames)}
    note_made(job.folder, found.found.sha256, made_of)
    return HandedOver(final, replace(found, path=final), gain, at)


def _with_light(path: Path, job: CheckedJob, delivery: Delivered, found: Verified) -> Verified:
    """Have an HDR delivery declare the light that was measured in it, and the display it was graded on, where its container can."""
    encoding, pictures = delivery.format.encoding, found.found.pictures
    if not is_hdr(encoding.transfer):
        return found
    peak = delivery.mastering_peak or job.template.working.graded_to
    if not declare_light(path, encoding.primaries, peak, pictures.max_cll or 0, pictures.max_fall or 0):
        return found
    return replace(found, found=replace(found.found, sha256=sha256_of(path)))


def _placed(made: Path, folder: Path, found: Verified) -> Path:
    """Put what was made in its place, sealed, where it passes; else beside it, under a name that says that it fails."""
    if found.verdict == "fails":
        final = folder / f"{made.stem} fails{made.suffix}"
        final.unlink(missing_ok=True)
        made.rename(final)
        return final
    final = folder / made.name
    made.rename(final)
    sealed(final)
    return final


def name_of(job: CheckedJob, programme: Programme, delivery: Delivered, version: int = 1) -> str:
    """Return what a delivery's file is called: by its rule, else by title, timeline and delivery. What nobody said is left out."""
    fields: dict[str, str | int | date] = {
        "title": job.title, "date": date.today().isoformat(), "format": format_words(delivery.format).split(" ")[0], "version": version,
        "language": job.template.title_language, "delivery": delivery.name, "sound": sound_layouts()[delivery.layout].name,
        "timeline": programme.name,
    }  # fmt: skip
    made = (
        made_name(delivery.file_name, fields) if delivery.file_name else f"{job.title} {programme.name} {delivery.name}"
    )
    return cleaned_name(made) or "delivery"


def _free_name(job: CheckedJob, programme: Programme, delivery: Delivered, folder: Path) -> str:
    """Return a name with suffix that is free in a folder: the next version where the rule has one. Raises `JobError`."""
    before = ""
    for version in count(1):
        name = f"{name_of(job, programme, delivery, version)}.{wrapping_of(delivery)}"
        if not (folder / name).exists():
            return name
        if name == before:
            break
        before = name
    raise JobError("is there already", subject=str(folder / before), remedy="choose another folder, or remove it")


# -- in time ------------------------------------------------------------------------------------------------------------


def _items(layout: ProgrammeLayout | None, frames: int, timeline: Timeline, rate: Fraction) -> Iterator[_Planned]:
    """Yield the items of the file in order. Raises `NotPossible` where the timeline's marks do not divide it as the layout has it."""
    if layout is None:
        yield _Planned("programme", frames)
        return
    parts = sum(item.what == "programme" for item in layout.items)
    cuts = sorted(
        round(mark.at / timeline.rate * rate)
        for mark in timeline.markers
        if mark.name.casefold().startswith(BREAK_MARK)
    )
    if len(cuts) < parts - 1:
        raise NotPossible(
            f"{layout.name} has {parts} parts, and {len(cuts)} marks part it",
            subject=timeline.name,
            remedy=f"set marks called “{BREAK_MARK}” in Trial",
        )
    ends = [*cuts[: parts - 1], frames]
    at = 0
    for item in layout.items:
        if item.what == "programme":
            end = ends.pop(0)
            yield _Planned("programme", end - at, first=at)
            at = end
        else:
            yield _Planned(item.what, frames_of(item.seconds or 0, rate), item.tone)


def first_timecode(delivery: Delivered, layout: ProgrammeLayout | None) -> Timecode:
    """Return the timecode of the file's first picture. Raises `QuarryError`."""
    rate = delivery.format.rate
    start = start_timecode((layout.starts if layout is not None else "") or delivery.start, delivery.drop, rate)
    return start + -frames_before(layout, rate)


# -- sound --------------------------------------------------------------------------------------------------------------


def _gain(job: CheckedJob, timeline: Timeline, delivery: Delivered, told: Callable[[float], None]) -> float:
    """Return the gain, dB, that brings the full mix to the loudness that is asked for; 0 where none is, or there is nothing to hear."""
    mix, layout = mix_of(delivery), sound_layouts()[delivery.layout]
    if delivery.loudness_lufs is None or mix is None:
        return 0.0
    meter = LoudnessMeter(len(mix))
    with Mix(timeline, job.template, layout) as sound:
        done = 0
        for block in sound.blocks():
            meter.take(block[:, list(mix)])
            done += len(block)
            told(done / max(1, sound.length))
    found = meter.latest.integrated
    return round(delivery.loudness_lufs - found, 2) if found is not None else 0.0


class _Sound:
    """The programme's sound as samples of 32 bits at the delivery's rate, taken in any order of items and always forwards."""

    def __init__(
        self,
        blocks: Iterator[NDArray[np.float32]],
        channels: int,
        rate: int,
        faster: Fraction,
        gain_db: float,
        bits: int,
    ) -> None:
        self._blocks, self._channels, self._bits = blocks, channels, bits
        self._gain = np.float32(10 ** (gain_db / 20))
        source = round(_RATE * faster)
        self._layout = {1: "mono", 2: "stereo"}.get(channels, f"{channels} channels")
        self._resampler = AudioResampler(format="flt", layout=self._layout, rate=rate) if source != rate else None
        self._source, self._at = source, 0
        self._have = np.zeros((0, channels), np.float32)
        self._random = np.random.default_rng(1)

    def taken(self, count: int) -> NDArray[np.int32]:
        """Return the next samples; silence after the last. Dithered by a triangle of two steps of the depth they are kept in."""
        while len(self._have) < count:
            block = next(self._blocks, None)
            if block is None:
                self._have = np.concatenate(
                    [self._have, np.zeros((count - len(self._have), self._channels), np.float32)]
                )
                break
            self._have = np.concatenate([self._have, self._at_rate(block * self._gain)])
        made, self._have = self._have[:count].astype(np.float64), self._have[count:]
        step = 2.0 ** (1 - self._bits)
        if self._bits < 32:
            heard = made != 0  # digital silence stays what it is
            noise = self._random.random(made.shape) + self._random.random(made.shape) - 1
            made = np.where(heard, np.rint(made / step + noise) * step, 0.0)
        return np.rint(np.clip(made, -1, 1 - step) * 2**31).clip(-(2**31), 2**31 - 1).astype(np.int32)

    def _at_rate(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        if self._resampler is None:
            return block
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(block).reshape(1, -1), format="flt", layout=self._layout
        )
        frame.sample_rate, frame.pts, frame.time_base = self._source, self._at, Fraction(1, self._source)
        self._at += len(block)
        made = [
            np.asarray(each.to_ndarray(), np.float32).reshape(-1, self._channels)
            for each in self._resampler.resample(frame)
        ]
        return np.concatenate(made) if made else block[:0]


# -- writing ------------------------------------------------------------------------------------------------------------


def _written(
    path: Path, job: CheckedJob, timeline: Timeline, delivery: Delivered, material: TimelineMaterial, items: list[_Planned],
    how: tuple[SignalFormat, Fraction, float], told: Callable[[float], None],
) -> None:  # fmt: skip
    """Write the file, item by item."""
    held, faster, gain = how
    codec, layout = codecs()[delivery.codec], sound_layouts()[delivery.layout]
    start = first_timecode(delivery, layout_of(delivery))
    programme_frames = sum(item.frames for item in items if item.what == "programme")
    leaders = Leaders(
        codec,
        delivery.format,
        job.template.line_up,
        job.title,
        _slate_lines(job, timeline, delivery, start, programme_frames, items),
    )
    conversion = Conversion(material.format, held, delivery.policy)
    total, done, at = sum(item.frames for item in items), 0, 0
    with (
        Mix(timeline, job.template, layout) as mix,
        ClipWriter(
            path,
            codec,
            delivery.format,
            start=start,
            channels=len(layout.channels),
            sample_rate=delivery.sample_rate,
            sound_bits=delivery.sound_bits,
            active_format=delivery.active_format,
        ) as writer,
        ThreadPoolExecutor(1, thread_name_prefix="quarry coder") as coder,
    ):
        sound = _Sound(mix.blocks(), len(layout.channels), delivery.sample_rate, faster, gain, delivery.sound_bits)
        ahead: Future[None] | None = None
        for item in items:
            tone: NDArray[np.int32] | None = None
            if item.tone:
                tone = line_up_tone(
                    delivery.line_up_dbfs, float(item.frames / held.rate) + 1, delivery.sample_rate, layout
                )
            begin = int(at * delivery.sample_rate / held.rate)
            for number in range(item.frames):
                first, last = (int(n * delivery.sample_rate / held.rate) for n in (at, at + 1))
                if item.what == "programme":
                    codes = conversion.codes(item.first + number, material.frame)
                    samples = sound.taken(last - first)
                else:
                    codes = tuple(leaders.picture(item.what, number, item.frames))
                    samples = (
                        tone[first - begin : last - begin]
                        if tone is not None
                        else np.zeros((last - first, len(layout.channels)), np.int32)
                    )
                if ahead is not None:
                    ahead.result()
                ahead = coder.submit(writer.write, codes, samples)
                at += 1
                done += 1
                told(done / max(1, total))
        if ahead is not None:
            ahead.result()
        writer.finish()


def _slate_lines(
    job: CheckedJob, timeline: Timeline, delivery: Delivered, start: Timecode, frames: int, items: list[_Planned]
) -> dict[str, str]:
    """Return what a slate says, in its order."""
    before = sum(item.frames for item in takewhile(lambda item: item.what != "programme", items))
    seconds = frames / delivery.format.rate
    loudness = f"{delivery.loudness_lufs:g} LUFS" if delivery.loudness_lufs is not None else "as mixed"
    said = {
        "Timeline": timeline.name, "Delivery": delivery.name, "Format": format_words(delivery.format, fields=True), "Starts": str(start + before),
        "Lasts": f"{int(seconds // 60)} min {float(seconds % 60):.2f} s", "Sound": sound_layouts()[delivery.layout].words[:60],
        "Loudness": loudness, "Date": date.today().isoformat(), "Template": f"{job.template_name}, revision {job.revision}",
    }  # fmt: skip
    parts = sum(item.what == "programme" for item in items)
    return said | ({"Parts": str(parts)} if parts > 1 else {})
