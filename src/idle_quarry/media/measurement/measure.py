"""Measuring a clip: windows spread over it, more where the answer is unsure, and the places where it changes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np

from idle_quarry.errors import MediaError, QuarryError
from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.media.measurement.active import ActiveMeter
from idle_quarry.media.measurement.field_pairs import PairMeter
from idle_quarry.media.measurement.field_structure import evidence
from idle_quarry.media.measurement.fields import ExaminedRun, fields_of
from idle_quarry.media.measurement.levels import LevelMeter
from idle_quarry.media.measurement.results import (
    ClipChange,
    Fields,
    Measurement,
    SoundStreamMeasurement,
    TimecodeBreak,
    VariableRate,
)
from idle_quarry.media.measurement.sound import heard
from idle_quarry.media.pacing import fixed_rate, held_and_dropped, is_uneven, picture_times
from idle_quarry.media.pictures import Picture, Reader
from idle_quarry.signal.formats import Encoding, SignalFormat
from idle_quarry.signal.rates import nearest_named_rate
from idle_quarry.signal.timecode import Timecode, can_drop

#: Told between pictures: what is being done and the share that is done. It may raise to cancel.
Progress = Callable[[str, float], None]

#: Clips of so many frames are examined whole; of longer ones, windows of `_WINDOW` frames.
_WHOLE = 120
_WINDOW = 15
_FIRST_WINDOWS, _MOST_WINDOWS = 5, 17
_SURE = 0.95
#: A change is looked for until it is known to so many frames.
_CLOSE = 12
#: Frames by which a group's timecode may seem off without a break.
_GROUP_SLACK = 4
#: Lines and samples below which a picture is too small for its fields and edges to be told.
_LEAST = 16
#: A clip that changes at every picture need not be told of each.
_MOST_CHANGES = 20
#: Pictures whose levels are taken, about.
_LEVEL_PICTURES = 15


class _Examination:
    """The meters of one clip, and the runs of frames they have seen."""

    def __init__(self, reader: Reader, encoding: Encoding, progress: Progress | None) -> None:
        self.reader = reader
        self.levels = LevelMeter(encoding)
        self.active = ActiveMeter()
        self.runs: list[ExaminedRun] = []
        self.frames = 0
        self.flagged = 0
        self.rates: list[Fraction] = []
        self.breaks: list[TimecodeBreak] = []
        self.times: list[list[float]] = []
        self.changes: list[ClipChange] = []
        self._kind: tuple[str, str, str] | None = None  # of the first picture
        self._was: tuple[str, str, str] | None = None  # of the one before
        self._seen: set[int] = set()
        self._progress = progress

    def look(self, first: int, count: int, every: int, share: tuple[float, float]) -> int:
        """Examine frames from `first`, levels of every `every`th; return how many were new."""
        meter: PairMeter | None = None
        start = before = -2
        damaged = self.reader.damaged
        times: list[float] = []
        stamps: list[Picture] = []
        new = 0
        for picture in self.reader.window(first, count):
            if self._progress is not None:
                self._progress("measuring", share[0] + (share[1] - share[0]) * new / count)
            if picture.index in self._seen:
                continue
            if not self._same(picture):
                self._seen.add(picture.index)
                continue
            if meter is None or picture.index != before + 1:
                self._end(meter, start)
                meter, start = PairMeter(), picture.index
            measurable = min(picture.luma.shape) >= _LEAST
            if measurable:
                meter.take(picture.luma, picture.bits)
            if new % every == 0:
                self.levels.take(picture)
                if measurable:
                    self.active.take(picture)
            if picture.timecode is not None:
                stamps.append(picture)
            times.append(picture.seconds)
            self._seen.add(picture.index)
            self.frames += 1
            self.flagged += picture.interlaced
            new += 1
            before = picture.index
        self._end(meter, start)
        # where pictures are missing, time stamps and counts part by themselves
        if len(times) > 8 and times[-1] > times[0] and self.reader.damaged == damaged:
            self.times.append(times)
            self.rates.append(Fraction(len(times) - 1) / Fraction(times[-1] - times[0]).limit_denominator(10**7))
        self._follow(stamps)
        return new

    def _same(self, picture: Picture) -> bool:
        """Note where the clip becomes another; return whether a picture can be measured with the first ones."""
        if self._kind is None:
            self._kind = picture.kind
        was, now = self._was or self._kind, picture.kind
        for what, before, after in zip(("raster", "bit depth", "colour"), was, now, strict=True):
            if before != after and len(self.changes) < _MOST_CHANGES:
                self.changes.append(ClipChange(picture.index, what, before, after))
        self._was = now
        return now[:2] == self._kind[:2]

    def _end(self, meter: PairMeter | None, start: int) -> None:
        if meter is not None and len(meter.pairs):
            self.runs.append(ExaminedRun(start, evidence(meter.pairs)))
            self.runs.sort(key=lambda run: run.first)

    def _follow(self, stamps: list[Picture]) -> None:
        """Hold the pictures' own timecodes against one another."""
        known: tuple[int, Timecode] | None = None
        for picture in stamps:
            code = _timecode(picture, self.reader.rate)
            if code is None:
                continue
            if known is not None and known[1].drop == code.drop:
                expected = known[1] + (picture.index - known[0])
                # a group's timecode may be laid on one of the pictures that are coded after its first
                if abs(expected.frames - code.frames) > _GROUP_SLACK:
                    self.breaks.append(TimecodeBreak(picture.index, str(expected), str(code)))
            known = (picture.index, code)


def _timecode(picture: Picture, rate: Fraction) -> Timecode | None:
    """Return a picture's own timecode, None where it has none or its number is none of the count's."""
    if picture.timecode is None:
        return None
    drop, hours, minutes, seconds, frame = picture.timecode
    mark = ";" if drop and can_drop(rate) else ":"
    try:
        return Timecode.from_text(f"{hours:02d}:{minutes:02d}:{seconds:02d}{mark}{frame:02d}", rate)
    except QuarryError:
        return None


def measure(
    path: Path,
    declared: DeclaredProperties,
    fmt: SignalFormat | None,
    progress: Progress | None = None,
    *,
    threads: int = 0,
) -> Measurement:
    """Return what a clip really is. `fmt` is its declared format; `threads` for decoding, 0 for all.

    Raises `MediaError` where nothing in it can be read, and whatever `progress` raises.
    """
    sound = tuple(_sound(path, declared, progress))
    if not declared.has_picture:
        return Measurement(None, None, None, sound)
    encoding = fmt.encoding if fmt is not None else Encoding()
    with Reader(path, declared, threads=threads) as reader:
        examination = _Examination(reader, encoding, progress)
        total = reader.frames
        if total is None or total <= _WHOLE:
            examination.look(0, _WHOLE, max(1, (total or _WHOLE) // _LEVEL_PICTURES), (0.0, 1.0))
            fields = _fields(examination, declared)
        else:
            fields = _adaptive(examination, declared, total)
        if not examination.frames:
            raise MediaError(
                "none of its pictures can be decoded", subject=str(path), remedy="copy it again from where it came"
            )
        return Measurement(
            fields=fields,
            active=examination.active.measurement(encoding.range == "narrow"),
            levels=examination.levels.measurement(),
            sound=sound,
            stamped_rate=_stamped(examination.rates),
            timecode_breaks=tuple(examination.breaks),
            frames_examined=examination.frames,
            damaged=reader.damaged,
            # what windows show of an uneven pace is not all of it, and reading every time stamp decodes nothing
            variable=variable_rate([list(picture_times(path))] if declared.uneven else examination.times),
            changes=tuple(sorted(examination.changes, key=lambda change: change.frame)),
        )


def _fields(examination: _Examination, declared: DeclaredProperties) -> Fields:
    flagged = declared.scan == "interlaced" or (
        declared.scan == "unknown" and 2 * examination.flagged > examination.frames
    )
    return fields_of(examination.runs, declared.rate, flagged)


def _adaptive(examination: _Examination, declared: DeclaredProperties, total: int) -> Fields:
    """Examine windows spread over a long clip until the answer is sure, then close in on changes."""
    every = _WINDOW * _FIRST_WINDOWS // _LEVEL_PICTURES
    done = 0
    for start in _spread(total - _WINDOW):
        examination.look(start, _WINDOW, max(1, every), (done / _MOST_WINDOWS, (done + 1) / _MOST_WINDOWS))
        done += 1
        if done < _FIRST_WINDOWS:
            continue
        fields = _fields(examination, declared)
        if done >= _MOST_WINDOWS or (fields.confidence >= _SURE and fields.scan != "mixed"):
            break
    fields = _fields(examination, declared)
    for _ in range(24):
        gap = _widest_change(fields, examination)
        if gap is None:
            break
        new = examination.look((gap[0] + gap[1] - _WINDOW) // 2 + 1, _WINDOW, _WINDOW, (0.9, 1.0))
        if not new:
            break
        fields = _fields(examination, declared)
    return fields


def _spread(last: int) -> Iterator[int]:
    """Yield where windows begin: first `_FIRST_WINDOWS` evenly from end to end, then between them, finer each time."""
    given: set[int] = set()
    parts = _FIRST_WINDOWS - 1
    while True:
        for number in range(parts + 1):
            start = last * number // parts
            if start not in given:
                given.add(start)
                yield start
        if parts > last:
            return
        parts *= 2


def _widest_change(fields: Fields, examination: _Examination) -> tuple[int, int] | None:
    """Return the widest span of unexamined frames in which the structure changes, None where all are close."""
    if fields.scan != "mixed":
        return None
    widest: tuple[int, int] | None = None
    for stretch in fields.stretches[1:]:
        before = [run.first + len(run.pairs.likelihood) for run in examination.runs if run.first < stretch.start]
        if (
            before
            and stretch.start - max(before) > _CLOSE
            and (widest is None or stretch.start - max(before) > widest[1] - widest[0])
        ):
            widest = (max(before), stretch.start)
    return widest


#: Pictures a second below which time stamps are none of a moving picture.
_SLOWEST = Fraction(1, 2)


def _stamped(rates: list[Fraction]) -> Fraction | None:
    if not rates:
        return None
    middle = sorted(rates)[len(rates) // 2]
    if middle < _SLOWEST:  # time stamps that jump say nothing
        return None
    return nearest_named_rate(middle, Fraction(1, 4000)) or middle.limit_denominator(1001)


def variable_rate(runs: list[list[float]]) -> VariableRate | None:
    """Return how the rate of a clip varies, from the times (seconds) at which pictures of its runs are shown.

    None where it doesn't.
    """
    lengths = np.concatenate([np.diff(run) for run in runs]) if runs else np.zeros(0)
    lengths = lengths[lengths > 0]
    if not is_uneven(lengths):
        return None
    mean = 1 / float(lengths.mean())
    fixed = fixed_rate(mean)
    counts = [held_and_dropped(run, fixed) for run in runs if len(run) > 1]
    repeated, dropped = (sum(item) for item in zip(*counts, strict=True))
    minutes = float(lengths.sum()) / 60
    slowest, fastest = 1 / np.percentile(lengths, [99, 1])
    return VariableRate(float(slowest), float(fastest), mean, fixed, repeated / minutes, dropped / minutes)


def _sound(
    path: Path, declared: DeclaredProperties, progress: Progress | None
) -> Iterator[SoundStreamMeasurement | None]:
    for index, audio in enumerate(declared.audio):
        if progress is not None:
            progress("listening", 0.0)
        yield heard(path, index, audio.sample_rate, declared.duration_s)
