"""What an output sends when it is lined up: a test picture and test sound, frame after frame, with running timecode."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.transport import Transport
from idle_quarry.line.words import Words
from idle_quarry.line.writing.mapping import Planes
from idle_quarry.line.writing.sound import RATE, as_24_bits, most_channels, samples_in
from idle_quarry.line.writing.writer import LineSignalling, LineWriter, blank_frame
from idle_quarry.path.entries import SoundLayout
from idle_quarry.path.registry import line_up_pictures, territories
from idle_quarry.picture.patterns.bars import rgb_picture
from idle_quarry.picture.patterns.charts import CHARTS, chart_frame
from idle_quarry.picture.planes import codes_of_planes, from_rgb
from idle_quarry.signal.colour import HDR_REFERENCE_WHITE_CDM2, pq_signal
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counting_base, is_pulled
from idle_quarry.signal.timecode import Timecode
from idle_quarry.sound.tone import IDENT_EVERY_S, IDENT_PAUSE_S, LINE_UP_HZ, line_up_tone

Rgb = NDArray[np.float64]
Samples = NDArray[np.int32]


@dataclass(frozen=True)
class SentPicture:
    """A picture that can be sent: its name, what it is for, and whether it moves or is still."""

    id: str
    name: str
    text: str
    draw: Callable[[SignalFormat, int], Planes]
    moves: bool = False


def _codes(rgb: Rgb, fmt: SignalFormat) -> Planes:
    """Return a picture's codes. Test pictures have few different lines: each is made once (no line has 4:2:0, so
    none leans on others).
    """
    new = np.flatnonzero((rgb[1:] != rgb[:-1]).any(axis=(1, 2))) + 1
    first = np.concatenate([[0], new])
    red, green, blue = (np.ascontiguousarray(rgb[first, :, n], np.float32) for n in range(3))
    results = codes_of_planes(from_rgb((red, green, blue), fmt.encoding), fmt.encoding, "round")
    lines = np.diff(np.concatenate([first, [len(rgb)]]))
    return in_line_order(tuple(np.repeat(plane, lines, axis=0) for plane in results), fmt)


def in_line_order(planes: tuple[NDArray[Any], ...], fmt: SignalFormat) -> Planes:
    """Return planes as lines take them: of R, G and B the green first (ST 425-1), luma and colour differences as
    they are.
    """
    first, second, third = planes
    return (second, third, first) if fmt.encoding.matrix == "rgb" else (first, second, third)


def reference_white(fmt: SignalFormat) -> float:
    """Return the signal of white of graphics: 1 in SDR, 75 % of HLG, 58 % of PQ (BT.2408-7, table 1)."""
    transfer = fmt.encoding.transfer
    if transfer == "pq":
        return pq_signal(HDR_REFERENCE_WHITE_CDM2)
    return 0.75 if transfer == "hlg" else 1.0


def _flat(level: float) -> Callable[[SignalFormat, int], Planes]:
    def draw(fmt: SignalFormat, _index: int) -> Planes:
        value = level * reference_white(fmt) if level > 0 else 0.0
        return _codes(np.full((fmt.raster.height, fmt.raster.width, 3), value), fmt)

    return draw


def _bars(choice: str) -> Callable[[SignalFormat, int], Planes]:
    def draw(fmt: SignalFormat, _index: int) -> Planes:
        return _codes(rgb_picture(fmt, choice), fmt)

    return draw


def pluge_rgb(fmt: SignalFormat) -> Rgb:
    """Return PLUGE after ITU-R BT.814-4 as R′G′B′: a white patch, and on black strips 2 % below and above it, and 4
    % above.

    In ten bits the strips are at 46, 82 and 99 of narrow range, as 2 and 4 % of 876 codes round.
    """
    height, width = fmt.raster.height, fmt.raster.width
    rgb = np.zeros((height, width, 3))
    down, across = height / 9, width / 16
    rgb[round(1.5 * down) : round(3.5 * down), round(7 * across) : round(9 * across)] = reference_white(fmt)
    for left, level in ((3, -0.02), (5, 0.02), (10, -0.02), (12, 0.02), (13.5, 0.04)):
        rgb[round(4.5 * down) : round(7.5 * down), round(left * across) : round((left + 1) * across)] = level
    return rgb


def _flash(fmt: SignalFormat, index: int) -> Planes:
    lit = index % counting_base(fmt.rate) == 0
    return _flat(1.0 if lit else 0.0)(fmt, index)


def _chart(name: str) -> Callable[[SignalFormat, int], Planes]:

    def draw(fmt: SignalFormat, index: int) -> Planes:
        return in_line_order(codes_of_planes(chart_frame(name, fmt, index), fmt.encoding, "round"), fmt)

    return draw


def _built() -> dict[str, SentPicture]:
    results = [
        SentPicture(
            "bars", "Bars of the format", "Levels, matrix and shape, as the format's standard has them.", _bars("")
        )
    ]
    results += [
        SentPicture(line_up_picture.id, line_up_picture.name, line_up_picture.source, _bars(line_up_picture.id))
        for line_up_picture in line_up_pictures().values()
    ]
    results += [
        SentPicture(
            "pluge",
            "PLUGE",
            "For setting black by eye: the strips below black must not be seen, those above just so (BT.814).",
            lambda fmt, _: _codes(pluge_rgb(fmt), fmt),
        ),
        SentPicture(
            "zone",
            CHARTS["zone"].name,
            "Rings as fine as the raster can show: what turns grey too early is lost on the way.",
            _chart("zone"),
        ),
        SentPicture("wedge", CHARTS["wedge"].name, CHARTS["wedge"].text, _chart("wedge"), moves=True),
        SentPicture(
            "flash",
            "Flash and pip",
            "A white picture and a tone of one picture's length each second: how far sound and picture part.",
            _flash,
            moves=True,
        ),
        SentPicture("white", "White", "White of graphics over the whole picture: brightness and evenness.", _flat(1.0)),
        SentPicture("black", "Black", "Black over the whole picture: what the screen leaves alight.", _flat(0.0)),
    ]
    return {sent_picture.id: sent_picture for sent_picture in results}


@lru_cache(maxsize=1)
def sent_pictures() -> dict[str, SentPicture]:
    """Return the pictures that can be sent, by id."""
    return _built()


@lru_cache(maxsize=6)
def _still(picture: str, fmt: SignalFormat) -> Planes:
    return sent_pictures()[picture].draw(fmt, 0)


def forget_pictures() -> None:
    """Let go of the pictures, frames and sound that are kept because they are the same each time."""
    _still.cache_clear()
    blank_frame.cache_clear()
    sent_sound.cache_clear()


def picture_of(picture: str, fmt: SignalFormat, index: int) -> Planes:
    """Return frame `index` of a picture as planes of codes. Raises `KeyError` for none of that name."""
    sent_picture = sent_pictures()[picture]
    if picture == "flash":
        return _still("white" if index % counting_base(fmt.rate) == 0 else "black", fmt)
    return sent_picture.draw(fmt, index) if sent_picture.moves else _still(picture, fmt)


def usual_level(fmt: SignalFormat) -> float:
    """Return the line-up level of the part of the world in which a rate is used, dBFS: −20 at 59.94, else −18."""
    return territories()["59.94 Hz" if is_pulled(fmt.rate) else "50 Hz"].line_up_dbfs


#: What the sound can be.
SOUNDS = {
    "tone": "1 kHz, left interrupted (EBU R 49)",
    "turn": "each channel by itself, half a second",
    "pip": "a pip at each flash",
    "silence": "silence",
}


class SentSound:
    """Test sound as samples of 24 bits at 48 kHz, any length from any sample on, the same each time."""

    def __init__(self, kind: str, level_dbfs: float, layout: SoundLayout, fmt: SignalFormat) -> None:
        self.channels = len(layout.channels)
        if kind in ("tone", "silence"):
            tone = line_up_tone(level_dbfs, IDENT_EVERY_S, RATE, layout)
            # the interruption comes last, so that short ones have their level on every channel
            tone = np.roll(tone, -round(IDENT_PAUSE_S * RATE), axis=0)
            self._loop = as_24_bits(tone if kind == "tone" else np.zeros_like(tone))
        elif kind == "turn":
            self._loop = _in_turn(level_dbfs, layout)
        else:
            self._loop = _pip(level_dbfs, layout, fmt)

    def samples(self, first: int, count: int) -> NDArray[np.int32]:
        """Return `count` samples from `first` on, (count, channels)."""
        return self._loop[(first + np.arange(count)) % len(self._loop)]


@lru_cache(maxsize=4)
def sent_sound(kind: str, level_dbfs: float, layout: SoundLayout, fmt: SignalFormat) -> SentSound:
    """Return test sound; kept, since its loop is the same each time."""
    return SentSound(kind, level_dbfs, layout, fmt)


def _in_turn(level_dbfs: float, layout: SoundLayout) -> NDArray[np.int32]:
    half = RATE // 2
    whole = line_up_tone(level_dbfs, 0.5, RATE, layout)
    steady = np.sin(2 * np.pi * LINE_UP_HZ * np.arange(half) / RATE) * 10 ** (level_dbfs / 20) * (2**31 - 1)
    loop = np.zeros((2 * half * len(layout.channels), len(layout.channels)), np.int64)
    for n, channel in enumerate(layout.channels):
        if channel.carries != "silent":
            loop[2 * half * n : 2 * half * n + half, n] = whole[:, n] if channel.at == "LFE" else steady
    return as_24_bits(np.clip(loop, -(2**31), 2**31 - 1).astype(np.int32))


def _pip(level_dbfs: float, layout: SoundLayout, fmt: SignalFormat) -> NDArray[np.int32]:
    """Return a loop of as many whole seconds of count as have whole samples: a pip over each flash."""
    base = counting_base(fmt.rate)
    loop_frames = base * (RATE * base / fmt.rate).denominator
    loop = np.zeros((int(RATE * loop_frames / fmt.rate), len(layout.channels)))
    for frame in range(0, loop_frames, base):
        begin, end = (int(RATE * n / fmt.rate) for n in (frame, frame + 1))
        tone = np.sin(2 * np.pi * LINE_UP_HZ * np.arange(end - begin) / RATE) * 10 ** (level_dbfs / 20)
        for n, channel in enumerate(layout.channels):
            if channel.carries != "silent":
                loop[begin:end, n] = tone
    return as_24_bits(np.rint(loop * (2**31 - 1)).astype(np.int32))


def sent_frames(
    fmt: SignalFormat,
    way: Transport,
    picture: str,
    sound: SentSound | None,
    start: Timecode,
    line_signalling: LineSignalling | None = None,
) -> Iterator[list[Words]]:
    """Yield frames of a line without end: a picture by its id, sound, and timecode from `start` on."""
    return frames_of(
        fmt,
        way,
        partial(picture_of, picture, fmt),
        sound.samples if sound is not None else None,
        start,
        line_signalling,
    )


def frames_of(
    fmt: SignalFormat,
    way: Transport,
    picture: Callable[[int], Planes],
    sound: Callable[[int, int], Samples] | None,
    start: Timecode,
    line_signalling: LineSignalling | None = None,
) -> Iterator[list[Words]]:
    """Yield the frames of a line without end.

    Parameters
    ----------
    fmt, way
        The format, and how it travels.
    picture
        Returns picture `n` as planes of code values at the format's depth.
    sound
        Returns samples (count, channels) of 24 bits from a first one on; None for no sound.
    start
        The first picture's timecode.
    line_signalling
        Which packets the lines have; None for the usual ones.

    Yields
    ------
    list of Words
        (lines, words, streams) uint16 of ten bits for each link.
    """
    writer = LineWriter(fmt, way, line_signalling)
    index = sent = 0
    room = most_channels(way)
    while True:
        step = way.pictures  # two pictures that share a line are of one moment
        item = [picture(index + (n if step == 2 else 0)) for n in range(writer.pictures)]
        count = sum(samples_in(index + n, fmt.rate) for n in range(step))
        samples = None if sound is None else sound(sent, count)[:, :room]
        yield writer.frame(item, samples, start + index)
        index += step
        sent += count
