"""Compiling the loops over samples: once, at set-up; elsewhere the first picture that is converted does it."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np

from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.loops import pairs
from idle_quarry.picture.motion import along, motion
from idle_quarry.picture.planes import Planes, codes_of_planes, planes_of_codes
from idle_quarry.signal.formats import Encoding, SignalFormat
from idle_quarry.signal.rasters import Raster

_SQUARE = Fraction(1)


def compiled() -> None:
    """Convert small pictures in every way that has a loop of its own, but for motion."""
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

        made = Conversion(source, target, DEFAULT_POLICY.model_copy(update=policy)).frame(2, frames)
        for rounding in ("round", "diffuse"):
            codes_of_planes(made, target.encoding, rounding)


def compiled_pairs() -> None:
    """Look at what the fields of two small pictures have in common, of 8 bits and of more."""
    bands, found = np.zeros((1, 64, 64), np.float32), np.empty((6, 3, 4), np.float32)
    for kind in (np.uint8, np.uint16):
        pairs.averaged(np.zeros((64, 64), kind), np.zeros(1, np.int64), 1, 1.0, bands)
    pairs.distances(bands, bands, bands, (8, 16), 35.0, found)


def compiled_motion() -> None:
    """Find motion between small pictures, and go along it."""
    picture = np.zeros((160, 320), np.float32)
    along(picture, picture, motion(picture, picture, 0.4))
