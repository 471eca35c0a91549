"""What a clip declares: every property its container, its codec and its headers say, before pictures are looked at."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from idle_quarry.errors import QuarryError
from idle_quarry.signal.formats import SAMPLINGS, Encoding, SignalFormat, standard_field_order
from idle_quarry.signal.rasters import FOUR_THREE, LINE_CONVENTIONS, SIXTEEN_NINE, Raster, sd_pixel_aspect
from idle_quarry.signal.words import default_encoding


@dataclass(frozen=True)
class Audio:
    """One sound stream."""

    channels: int
    layout: str
    sample_rate: int
    bit_depth: int | None

    def to_json(self) -> dict[str, Any]:
        return {
            "channels": self.channels,
            "layout": self.layout,
            "sample_rate": self.sample_rate,
            "bit_depth": self.bit_depth,
        }


@dataclass(frozen=True)
class DeclaredProperties:
    """A clip's declared properties. Picture properties are 0 or None where there is no picture stream.

    `rate` is frames a second, None where neither container nor header says one (stills).
    """

    width: int
    height: int
    sample_aspect: Fraction
    rate: Fraction | None
    scan: str
    field_order: str | None
    pixel_format: str
    bit_depth: int
    sampling: str
    primaries: str | None
    transfer: str | None
    matrix: str | None
    range: str | None
    codec: str
    profile: str | None
    container: str
    timecode: str | None
    drop_frame: bool | None
    frames: int | None
    duration_s: float | None
    audio: tuple[Audio, ...] = ()
    gaps: tuple[tuple[int, int], ...] = ()
    blanking: int = 0  #: lines of blanking that are coded above the picture; `height` is without them
    rotation: int = 0  #: degrees clockwise by which pictures are turned to be shown; `width` and `height` are as shown
    #: how many pictures are coded, where they come at no even pace; `rate` and `frames` are then of the fixed one
    uneven: int = 0
    alpha: str | None = None  #: "straight", "premultiplied" or "unknown" where there is an alpha channel

    @property
    def has_picture(self) -> bool:
        return self.width > 0

    @property
    def display_aspect(self) -> Fraction:
        return Fraction(self.width, self.height) * self.sample_aspect if self.height else Fraction(0)

    def to_json(self) -> dict[str, Any]:
        """Return the properties under the keys of the command line's contract."""
        return {
            "width": self.width,
            "height": self.height,
            "sample_aspect": _ratio(self.sample_aspect),
            "display_aspect": _ratio(self.display_aspect),
            "rate": _ratio(self.rate) if self.rate else None,
            "scan": self.scan,
            "field_order": self.field_order,
            "pixel_format": self.pixel_format,
            "bit_depth": self.bit_depth,
            "sampling": self.sampling,
            "primaries": self.primaries,
            "transfer": self.transfer,
            "matrix": self.matrix,
            "range": self.range,
            "codec": self.codec,
            "profile": self.profile,
            "container": self.container,
            "timecode": self.timecode,
            "drop_frame": self.drop_frame,
            "frames": self.frames,
            "duration_s": self.duration_s,
            "audio": [audio.to_json() for audio in self.audio],
            "gaps": [list(gap) for gap in self.gaps],
            "rotation": self.rotation,
            "uneven": self.uneven or None,
            "alpha": self.alpha,
        }


def _ratio(value: Fraction) -> str:
    return f"{value.numerator}/{value.denominator}"


def signal_format(declared: DeclaredProperties) -> SignalFormat | None:
    """Return the signal format a clip declares, with its standard's own values where it is silent, or None.

    None where there is no picture, no rate, or the parts exclude one another.
    """
    if not declared.has_picture or declared.rate is None:
        return None
    try:
        raster = Raster(declared.width, declared.height, sd_convention(declared))
        default = default_encoding(raster)
        bits = min((b for b in (8, 10, 12, 16) if b >= declared.bit_depth), default=16)
        encoding = Encoding(
            primaries=declared.primaries or default.primaries,
            transfer=declared.transfer or default.transfer,
            matrix=declared.matrix or default.matrix,
            range=declared.range or ("full" if declared.matrix == "rgb" else "narrow"),
            bit_depth=bits,
            sampling=declared.sampling if declared.sampling in SAMPLINGS else "4:2:0",
        )
        interlaced = declared.scan == "interlaced"
        order = (declared.field_order or standard_field_order(raster)) if interlaced else None
        return SignalFormat(raster, declared.rate, "interlaced" if interlaced else "progressive", order, encoding)
    except QuarryError:
        return None


#: Codecs that write 4:3 or 16:9 and no pixel aspect: the samples a reader counts it over are the reader's guess.
_DISPLAY_ASPECT_ONLY = ("dvvideo", "mpeg2video", "mpeg1video")


def sd_convention(declared: DeclaredProperties) -> Fraction:
    """Return the pixel aspect a clip means: for SD the convention nearest to what it writes.

    Where the codec writes only the picture's aspect, the standard's own convention is meant.
    """
    written = declared.sample_aspect
    conventions = LINE_CONVENTIONS.get(declared.height)
    if conventions is None or declared.width != 720:
        return written
    if declared.codec in _DISPLAY_ASPECT_ONLY:
        aspect = min((FOUR_THREE, SIXTEEN_NINE), key=lambda value: abs(value - declared.display_aspect))
        return sd_pixel_aspect(declared.height, aspect, conventions[0])
    options = {
        sd_pixel_aspect(declared.height, aspect, samples)
        for aspect in (FOUR_THREE, SIXTEEN_NINE)
        for samples in conventions
    }
    nearest = min(options, key=lambda value: abs(value - written))
    return nearest if abs(nearest / written - 1) < Fraction(1, 100) else written
