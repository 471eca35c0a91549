"""Compiles every loop, as a process of its own: `python -m idle_quarry.compile_all PART`, a part of
`compiling.ahead.PARTS`.
"""

from __future__ import annotations

import os
import sys
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from idle_quarry.compiling import ahead
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.signal.formats import Encoding, SignalFormat
from idle_quarry.signal.rasters import Raster

_SQUARE = Fraction(1)


def main(part: str) -> int:
    """Compile a part of the loops where no other process does; return the exit status."""
    os.nice(5)
    with ahead.compiling(part) as mine:
        if mine:
            for work in _WORK[part]:
                work()
            ahead.mark(part)
    return 0


def motion() -> None:
    """Find motion between small pictures, and go along it."""
    from idle_quarry.picture.motion import along, motion

    picture = np.zeros((160, 320), np.float32)
    along(picture, picture, motion(picture, picture, 0.4))


def pairs() -> None:
    """Look at what the fields of two small pictures have in common, of 8 bits and of more."""
    from idle_quarry.picture.loops import pairs

    bands, distances = np.zeros((1, 64, 64), np.float32), np.empty((6, 3, 4), np.float32)
    for kind in (np.uint8, np.uint16):
        pairs.averaged(np.zeros((64, 64), kind), np.zeros(1, np.int64), 1, 1.0, bands)
    pairs.distances(bands, bands, bands, (8, 16), 35.0, distances)


def files() -> None:
    """Look at every picture of two small files, of 8 bits and of 10."""
    from idle_quarry.media.coding.writing import ClipWriter
    from idle_quarry.media.inspecting import inspect
    from idle_quarry.media.whole.pictures import pictures_of
    from idle_quarry.path.registry import codecs

    with tempfile.TemporaryDirectory() as folder:
        for depth, sampling, lines in ((8, "4:2:0", 90), (10, "4:2:2", 180)):
            fmt = SignalFormat(
                Raster(320, 180, _SQUARE), Fraction(25), encoding=Encoding(bit_depth=depth, sampling=sampling)
            )
            path, kind = Path(folder) / f"{depth}.mkv", np.uint8 if depth == 8 else np.uint16
            grey = np.full((180, 320), 100 << (depth - 8), kind), *[np.full((lines, 160), 128 << (depth - 8), kind)] * 2
            with ClipWriter(path, codecs()["ffv1"], fmt) as writer:
                for _ in range(3):
                    writer.write(grey)
                writer.finish()
            pictures_of(inspect(path))


def words() -> None:
    """Write and read the words of a small line."""
    from idle_quarry.line import kernels

    kernels.compiled()


def sound() -> None:
    """Measure a moment of sound."""
    from idle_quarry.sound import kernels

    kernels.compiled()


def conversions() -> None:
    """Convert small pictures in every way that has a loop of its own, but for motion."""
    from idle_quarry.picture.link import Conversion
    from idle_quarry.picture.planes import Planes, codes_of_planes, planes_of_codes

    eight, hdr = Encoding(bit_depth=8, sampling="4:2:0"), Encoding(primaries="bt2020", transfer="hlg", matrix="bt2020")
    old = Encoding(primaries="bt601-625", matrix="bt601")
    fields = SignalFormat(Raster(160, 160, _SQUARE), Fraction(25), "interlaced", "top", eight)
    whole = SignalFormat(Raster(160, 160, _SQUARE), Fraction(25), encoding=hdr)
    links: tuple[tuple[SignalFormat, SignalFormat, dict[str, Any]], ...] = (
        (fields, SignalFormat(Raster(330, 320, _SQUARE), Fraction(25), "interlaced", "top", old), {}),
        (fields, SignalFormat(Raster(200, 200, _SQUARE), Fraction(50)), {"scan": "interpolate"}),
        (whole, SignalFormat(Raster(160, 160, _SQUARE), Fraction(25), encoding=eight), {"light": "linear"}),
    )
    for source, target, policy in links:
        small = 80 if source is fields else 160
        kind = np.uint8 if source is fields else np.uint16
        planes = np.full((160, 160), 128, kind), *[np.full((small, 80), 128, kind)] * 2
        frame = planes_of_codes(planes, source.encoding)

        def frames(_index: int, frame: Planes = frame) -> Planes:
            return frame

        picture = Conversion(source, target, DEFAULT_POLICY.with_parts(**policy)).frame(2, frames)
        for rounding in ("round", "diffuse"):
            codes_of_planes(picture, target.encoding, rounding)


_WORK = {"motion": (motion, pairs, files), "rest": (words, sound, conversions)}

if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
