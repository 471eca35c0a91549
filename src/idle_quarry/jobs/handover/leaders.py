"""What lies before and after a programme, as pictures: bars, slate, clock, black, drawn with the program's own type."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from fractions import Fraction
from importlib.resources import as_file, files
from itertools import pairwise, takewhile
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.coding.writing import still_codes
from idle_quarry.path.entries.programme import ProgrammeLayout
from idle_quarry.path.registry import Codec
from idle_quarry.path.template_parts import Delivery
from idle_quarry.picture.patterns.bars import ident_box, pattern, rgb_picture
from idle_quarry.picture.patterns.ident import with_ident
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import Timecode, counted_frames, start_timecode

Codes = Sequence[NDArray[Any]]
#: The level of type on a slate: its white is no peak white.
_LEVEL = 0.85
#: A clock's hand is gone for the last seconds before the programme.
_GONE_S = 3


class Leaders:
    """Pictures of a delivery's format, as code values; `fields` are a slate's lines, what each is called and says."""

    def __init__(self, codec: Codec, fmt: SignalFormat, line_up: str, title: str, fields: Mapping[str, str]) -> None:
        self._pixels, self._fmt = encoder_pixels(codec, fmt), fmt
        self._line_up, self._title, self._fields = line_up, title, fields
        self._cache: dict[tuple[str, int], Codes] = {}

    def picture(self, what: str, number: int, frames: int) -> Codes:
        """Return picture `number` of an item of `frames` pictures."""
        rate = self._fmt.rate
        left = math.ceil((frames - number) / rate) if what == "clock" else 0
        key = (what if what in ("bars", "slate", "clock") else "black", left)
        if key not in self._cache:
            if what == "clock":
                self._cache = {pair: codes for pair, codes in self._cache.items() if pair[0] != "clock"}
            self._cache[key] = still_codes(self._pixels, self._drawn(*key))
        return self._cache[key]

    def _drawn(self, what: str, left: int) -> NDArray[np.float64]:
        fmt = self._fmt
        if what == "bars":
            lines = (self._title, *[f"{key}  {value}" for key, value in list(self._fields.items())[:2]])
            return with_ident(
                rgb_picture(fmt, self._line_up),
                lines,
                ident_box(fmt, self._line_up),
                pattern(fmt, self._line_up).ident_level,
            )
        shape = (fmt.raster.height, fmt.raster.width, 3)
        if what == "black":
            return np.zeros(shape)
        image = _slate(fmt, self._title, self._fields, left if what == "clock" else None)
        return np.repeat((_LEVEL * np.asarray(image, np.float64) / 255)[..., None], 3, axis=2)


def _slate(fmt: SignalFormat, title: str, fields: Mapping[str, str], left: int | None) -> Image.Image:
    """Return a slate as a grey picture; with `left`, seconds to go, as a clock beside it.

    Shapes are right on the shown aspect.
    """
    raster = fmt.raster
    height = raster.height
    wide = round(height * float(raster.display_aspect))
    image = Image.new("L", (wide, height), 0)
    draw = ImageDraw.Draw(image)
    with (
        as_file(files("idle_quarry").joinpath("fonts/B612-Bold.otf")) as bold,
        as_file(files("idle_quarry").joinpath("fonts/B612-Regular.otf")) as plain,
    ):
        room = wide * (0.55 if left is not None else 0.84)
        at_x, at_y = wide * 0.08, height * 0.14
        draw.text((at_x, at_y), title, fill=255, font=_fitting(bold, title, height * 0.075, room), anchor="lm")
        step = min(height * 0.075, height * 0.66 / max(1, len(fields)))
        label = ImageFont.truetype(plain, int(step * 0.52))
        for number, (name, value) in enumerate(fields.items()):
            y = height * 0.26 + number * step
            draw.text((at_x, y), name, fill=150, font=label, anchor="lm")
            draw.text(
                (at_x + room * 0.34, y),
                value,
                fill=255,
                font=_fitting(plain, value, step * 0.6, room * 0.66),
                anchor="lm",
            )
        if left is not None and left > _GONE_S:
            centre, radius = (wide * 0.78, height * 0.5), height * 0.26
            for tick in range(60):
                angle = math.radians(6 * tick)
                inner = radius * (0.86 if tick % 5 else 0.78)
                draw.line(
                    [_at(centre, inner, angle), _at(centre, radius * 0.93, angle)],
                    fill=255,
                    width=max(2, height // 360 * (1 if tick % 5 else 2)),
                )
            angle = math.radians(-6 * left)
            draw.line([centre, _at(centre, radius * 0.74, angle)], fill=255, width=max(4, height // 120))
            draw.text(
                (centre[0], centre[1] + radius * 1.25),
                f"{left}",
                fill=255,
                font=ImageFont.truetype(bold, int(height * 0.07)),
                anchor="mm",
            )
    return image.resize((raster.width, height), Image.Resampling.LANCZOS) if wide != raster.width else image


def _fitting(path: Any, text: str, size: float, room: float) -> ImageFont.FreeTypeFont:
    """Return the type at a size, smaller where a text would not fit its room."""
    font = ImageFont.truetype(path, max(8, int(size)))
    wide = font.getlength(text)
    return font if wide <= room else ImageFont.truetype(path, max(8, int(size * room / wide)))


def _at(centre: tuple[float, float], radius: float, angle: float) -> tuple[float, float]:
    return centre[0] + radius * math.sin(angle), centre[1] - radius * math.cos(angle)


def frames_of(seconds: float, rate: Fraction) -> int:
    """Return how many pictures so many seconds of count are."""
    return counted_frames(int(seconds), rate) if float(seconds).is_integer() else round(seconds * rate)


def programme_start(delivery: Delivery, layout: ProgrammeLayout | None) -> Timecode:
    """Return the timecode of the programme's first picture. Raises `QuarryError` where there is no such number."""
    start = (layout.starts if layout is not None else "") or delivery.start
    return start_timecode(start, delivery.drop, delivery.format.rate)


def lead_frames(layout: ProgrammeLayout | None, programme: Timecode) -> tuple[int, ...]:
    """Return how many pictures each item before the programme has, whose first picture has this timecode.

    They are told in seconds of count: 90 s before 01:00:00;00 is 00:58:30;00, 2 698 pictures earlier.
    """
    items = takewhile(lambda item: item.what != "programme", layout.items if layout is not None else ())
    seconds = [item.seconds or 0 for item in items]
    borders = [_earlier(programme, sum(seconds[number:])) for number in range(len(seconds) + 1)]
    return tuple(after.frames_since(before) for before, after in pairwise(borders))


def first_timecode(delivery: Delivery, layout: ProgrammeLayout | None) -> Timecode:
    """Return the timecode of the file's first picture. Raises `QuarryError`."""
    programme = programme_start(delivery, layout)
    return programme - sum(lead_frames(layout, programme))


def _earlier(timecode: Timecode, seconds: float) -> Timecode:
    return timecode.seconds_earlier(int(seconds)) - round((seconds - int(seconds)) * timecode.rate)
