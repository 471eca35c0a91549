"""The ident: lines of text drawn into a picture with the program's own type."""

from __future__ import annotations

from importlib.resources import as_file, files

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

#: Share of the box that text fills at the most, across and down.
_FILLED = 0.86


def with_ident(
    rgb: NDArray[np.float64], lines: tuple[str, ...], box: tuple[int, int, int, int], level: float
) -> NDArray[np.float64]:
    """Return a copy of R′G′B′ (h, w, 3) with `lines` at `level` of the signal on black, in a box of it.

    `box` is left, top, width and height in samples and lines. The type is as large as all lines and the box allow.
    """
    left, top, width, height = box
    room = height * _FILLED / max(1, len(lines))
    size = int(room * 0.8)
    with as_file(files("idle_quarry").joinpath("fonts/B612-Bold.otf")) as path:
        font = ImageFont.truetype(path, size)
        widest = max((font.getlength(line) for line in lines), default=1)
        if widest > width * _FILLED:
            font = ImageFont.truetype(path, max(8, int(size * width * _FILLED / widest)))
    mask = Image.new("L", (width, height), 0)
    draw = ImageDraw.Draw(mask)
    for index, line in enumerate(lines):
        y = height * (1 - _FILLED) / 2 + room * (index + 0.5)
        draw.text((width // 2, y), line, fill=255, font=font, anchor="mm")
    result = rgb.copy()
    result[top : top + height, left : left + width] = level * np.asarray(mask, dtype=np.float64)[..., None] / 255
    return result
