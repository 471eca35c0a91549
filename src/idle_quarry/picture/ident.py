"""The ident: lines of text drawn into a picture with the program's own type."""

from __future__ import annotations

from importlib.resources import as_file, files

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont


def with_ident(rgb: NDArray[np.float64], lines: tuple[str, ...], level: float = 0.75) -> NDArray[np.float64]:
    """Return a copy of R′G′B′ (h, w, 3) with `lines` written into its lowest sixth at `level` of white.

    The type is as large as all lines and the width allow.
    """
    height, width = rgb.shape[:2]
    top = height - height // 6
    room = (height - top) * 0.86 / max(1, len(lines))
    size = int(room * 0.8)
    with as_file(files("idle_quarry").joinpath("fonts/B612-Bold.otf")) as path:
        font = ImageFont.truetype(path, size)
        widest = max((font.getlength(line) for line in lines), default=1)
        if widest > width * 0.86:
            font = ImageFont.truetype(path, max(8, int(size * width * 0.86 / widest)))
    mask = Image.new("L", (width, height - top), 0)
    draw = ImageDraw.Draw(mask)
    for index, line in enumerate(lines):
        draw.text((width // 2, (height - top) * 0.07 + room * (index + 0.5)), line, fill=255, font=font, anchor="mm")
    strength = np.asarray(mask, dtype=np.float64)[..., None] / 255
    result = rgb.copy()
    result[top:] = result[top:] * (1 - strength) + level * strength
    return result
