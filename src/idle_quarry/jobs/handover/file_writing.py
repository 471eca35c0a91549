"""A delivery's file, written item by item: what lies in it in time, its pictures through the delivery's link, its
sound at its rate.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from itertools import takewhile
from pathlib import Path

import av
import numpy as np
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.cutting.timeline import Timeline
from idle_quarry.jobs.handover.leaders import Leaders, first_timecode, frames_of, lead_frames, programme_start
from idle_quarry.jobs.handover.programme import Mix, TimelineMaterial
from idle_quarry.jobs.handover.verify import layout_of
from idle_quarry.media.coding.sound_writing import WrittenSound
from idle_quarry.media.coding.writing import ClipWriter
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.registry import codecs, sound_layouts
from idle_quarry.path.template_parts import Delivery
from idle_quarry.picture.link import Conversion
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_words
from idle_quarry.sound.tone import line_up_tone

_RATE = 48000
#: A mark in a timeline at which a part ends and a break comes.
BREAK_MARK = "break"


@dataclass(frozen=True)
class PlannedItem:
    """An item of the file: what it is, how many pictures, whether with tone.

    Of the programme, which of its pictures.
    """

    what: str
    frames: int
    tone: bool = False
    first: int = 0


def items_of(
    layout: ProgrammeLayout | None, frames: int, timeline: Timeline, delivery: Delivery
) -> Iterator[PlannedItem]:
    """Yield the items of the file in order.

    Raises `NotPossible` where the timeline's marks do not divide it as the layout has it.
    """
    if layout is None:
        yield PlannedItem("programme", frames)
        return
    rate = delivery.format.rate
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
    lead, at = list(lead_frames(layout, programme_start(delivery, layout))), 0
    for item in layout.items:
        if item.what == "programme":
            end = ends.pop(0)
            yield PlannedItem("programme", end - at, first=at)
            at = end
        else:
            length = lead.pop(0) if lead else frames_of(item.seconds or 0, rate)
            yield PlannedItem(item.what, length, item.tone)


class _Sound:
    """The programme's sound as samples of 32 bits at the delivery's rate, taken in any order of items and always
    forwards.
    """

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

    def samples(self, count: int) -> NDArray[np.int32]:
        """Return the next samples; silence after the last.

        Dithered by a triangle of two steps of the depth they are kept in.
        """
        while len(self._have) < count:
            block = next(self._blocks, None)
            if block is None:
                self._have = np.concatenate(
                    [self._have, np.zeros((count - len(self._have), self._channels), np.float32)]
                )
                break
            self._have = np.concatenate([self._have, self._at_rate(block * self._gain)])
        result, self._have = self._have[:count].astype(np.float64), self._have[count:]
        step = 2.0 ** (1 - self._bits)
        if self._bits < 32:
            heard = result != 0  # digital silence stays what it is
            noise = self._random.random(result.shape) + self._random.random(result.shape) - 1
            result = np.where(heard, np.rint(result / step + noise) * step, 0.0)
        return np.rint(np.clip(result, -1, 1 - step) * 2**31).clip(-(2**31), 2**31 - 1).astype(np.int32)

    def _at_rate(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        if self._resampler is None:
            return block
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(block).reshape(1, -1), format="flt", layout=self._layout
        )
        frame.sample_rate, frame.pts, frame.time_base = self._source, self._at, Fraction(1, self._source)
        self._at += len(block)
        results = [
            np.asarray(item.to_ndarray(), np.float32).reshape(-1, self._channels)
            for item in self._resampler.resample(frame)
        ]
        return np.concatenate(results) if results else block[:0]


def written(
    path: Path,
    job: Job,
    timeline: Timeline,
    delivery: Delivery,
    material: TimelineMaterial,
    items: list[PlannedItem],
    how: tuple[SignalFormat, Fraction, float],
    on_progress: Callable[[float], None],
) -> None:
    """Write the file, item by item."""
    fmt, faster, gain = how
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
    conversion = Conversion(material.format, fmt, delivery.policy)
    total, done, at = sum(item.frames for item in items), 0, 0
    with (
        Mix(timeline, job.template, layout) as mix,
        ClipWriter(
            path,
            codec,
            delivery.format,
            start=start,
            sound=WrittenSound(
                len(layout.channels), delivery.sample_rate, delivery.sound_bits, delivery.sound_tracks, layout
            ),
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
                    delivery.line_up_dbfs, float(item.frames / fmt.rate) + 1, delivery.sample_rate, layout
                )
            begin = int(at * delivery.sample_rate / fmt.rate)
            for number in range(item.frames):
                first, last = (int(n * delivery.sample_rate / fmt.rate) for n in (at, at + 1))
                if item.what == "programme":
                    codes = conversion.codes(item.first + number, material.frame)
                    samples = sound.samples(last - first)
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
                on_progress(done / max(1, total))
        if ahead is not None:
            ahead.result()
        writer.finish()


def _slate_lines(
    job: Job, timeline: Timeline, delivery: Delivery, start: Timecode, frames: int, items: list[PlannedItem]
) -> dict[str, str]:
    """Return what a slate says, in its order."""
    before = sum(item.frames for item in takewhile(lambda item: item.what != "programme", items))
    seconds = frames / delivery.format.rate
    loudness = f"{delivery.loudness_lufs:g} LUFS" if delivery.loudness_lufs is not None else "as mixed"
    data = {
        "Timeline": timeline.name,
        "Delivery": delivery.name,
        "Format": format_words(delivery.format, fields=True),
        "Starts": str(start + before),
        "Lasts": f"{int(seconds // 60)} min {float(seconds % 60):.2f} s",
        "Sound": sound_layouts()[delivery.layout].words[:60],
        "Loudness": loudness,
        "Date": date.today().isoformat(),
        "Template": f"{job.template_name}, revision {job.revision}",
    }
    parts = sum(item.what == "programme" for item in items)
    return data | ({"Parts": str(parts)} if parts > 1 else {})
