"""The signal format: everything that says what a picture signal is, as one value."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS
from idle_quarry.signal.levels import BIT_DEPTHS, Levels
from idle_quarry.signal.rasters import Raster

SCANS = ("progressive", "interlaced", "psf")
#: Luma samples across and lines down for one chroma sample, fewest chroma first. 4:1:1 is 525-line DV's.
CHROMA_STEPS = {"4:1:1": (4, 1), "4:2:0": (2, 2), "4:2:2": (2, 1), "4:4:4": (1, 1)}
SAMPLINGS = tuple(CHROMA_STEPS)
#: Chroma samples of each of the two kinds for each luma sample.
CHROMA_SHARE = {sampling: 1 / (across * down) for sampling, (across, down) in CHROMA_STEPS.items()}
RANGES = ("narrow", "full")
FIELD_ORDERS = ("top", "bottom")
#: Above this many lines no standard has fields.
MOST_INTERLACED_LINES = 1080


@dataclass(frozen=True)
class Encoding:
    """How samples stand for colours: primaries, transfer, matrix, range, bit depth and chroma sampling."""

    primaries: str = "bt709"
    transfer: str = "bt709"
    matrix: str = "bt709"
    range: str = "narrow"
    bit_depth: int = 10
    sampling: str = "4:2:2"

    def __post_init__(self) -> None:
        for value, known, what in (
            (self.primaries, PRIMARIES, "primaries"),
            (self.transfer, TRANSFERS, "transfer"),
            (self.matrix, MATRICES, "matrix"),
            (self.range, RANGES, "range"),
            (self.bit_depth, BIT_DEPTHS, "bit depth"),
            (self.sampling, SAMPLINGS, "sampling"),
        ):
            if value not in known:
                raise NotPossible(
                    f"no such {what}", subject=str(value), remedy="use " + ", ".join(str(k) for k in known)
                )

    @property
    def samples_per_pixel(self) -> float:
        """Luma and chroma samples for each pixel of the raster: 2 at 4:2:2."""
        return 1 + 2 * CHROMA_SHARE[self.sampling]

    @property
    def levels(self) -> Levels:
        return Levels(self.bit_depth, self.range == "narrow")


@dataclass(frozen=True)
class SignalFormat:
    """Raster, frame rate (frames a second, also where interlaced), scan, field order and encoding.

    Raises `NotPossible` where the parts exclude one another: fields above 1080 lines, an odd number of
    lines in fields, a field order without fields.
    """

    raster: Raster
    rate: Fraction
    scan: str = "progressive"
    field_order: str | None = None
    encoding: Encoding = Encoding()

    def __post_init__(self) -> None:
        if self.scan not in SCANS:
            raise NotPossible("no such scan", subject=self.scan, remedy="use " + ", ".join(SCANS))
        if not 0 < self.rate <= 1000:
            raise NotPossible("a frame rate lies above 0 and at or below 1000", subject=str(self.rate))
        if self.scan == "interlaced":
            if self.raster.height > MOST_INTERLACED_LINES:
                raise NotPossible(
                    f"no standard has interlaced pictures of {self.raster.height} lines",
                    remedy="choose a progressive format",
                )
            if self.raster.height % 2:
                raise NotPossible(f"{self.raster.height} lines do not divide into two fields")
            if self.field_order not in FIELD_ORDERS:
                raise NotPossible("an interlaced format says which field comes first", remedy="use top or bottom")
        elif self.scan == "progressive" and self.field_order is not None:
            raise NotPossible("progressive pictures have no field order")
        elif self.field_order not in (None, *FIELD_ORDERS):
            raise NotPossible(
                "no such field order", subject=repr(self.field_order), remedy="use top or bottom, or none"
            )

    def __hash__(self) -> int:
        # formats are the keys of every cache below; hashing nested fractions each time is what would be slow
        try:
            return self.__dict__["_hash"]  # type: ignore[no-any-return]
        except KeyError:
            parts = (
                self.raster,
                self.rate.numerator,
                self.rate.denominator,
                self.scan,
                self.field_order,
                self.encoding,
            )
            value = hash(parts)
            object.__setattr__(self, "_hash", value)
            return value

    @property
    def moments(self) -> Fraction:
        """Moments in time shown a second: twice the frame rate where interlaced."""
        return self.rate * 2 if self.scan == "interlaced" else self.rate

    def with_encoding(self, **parts: Any) -> SignalFormat:
        """Return a copy with parts of its encoding replaced."""
        return replace(self, encoding=replace(self.encoding, **parts))


#: Field orders in words.
ORDER_WORDS = {"top": "upper field first", "bottom": "lower field first"}


def standard_field_order(raster: Raster) -> str:
    """Return the field order a raster's standard gives: lower first at 525 lines, else upper first."""
    return "bottom" if raster.height in (480, 486) else "top"


def format_to_json(fmt: SignalFormat) -> dict[str, Any]:
    """Return the stored form of a format: plain values, fractions as "n/d"."""
    e = fmt.encoding
    par = fmt.raster.pixel_aspect
    return {
        "width": fmt.raster.width,
        "height": fmt.raster.height,
        "sample_aspect": f"{par.numerator}/{par.denominator}",
        "rate": f"{fmt.rate.numerator}/{fmt.rate.denominator}",
        "scan": fmt.scan,
        "field_order": fmt.field_order,
        "sampling": e.sampling,
        "bit_depth": e.bit_depth,
        "range": e.range,
        "primaries": e.primaries,
        "transfer": e.transfer,
        "matrix": e.matrix,
    }


def format_from_json(data: Any) -> SignalFormat:
    """Return the format stored as `data`; raises `NotUnderstood` or `NotPossible` with what is wrong."""
    if not isinstance(data, dict):
        raise NotUnderstood("a signal format is an object of named values", subject=repr(data)[:60])
    try:
        return SignalFormat(
            raster=Raster(_whole(data, "width"), _whole(data, "height"), _fraction(data, "sample_aspect")),
            rate=_fraction(data, "rate"),
            scan=str(data["scan"]),
            field_order=data["field_order"],
            encoding=Encoding(
                primaries=str(data["primaries"]),
                transfer=str(data["transfer"]),
                matrix=str(data["matrix"]),
                range=str(data["range"]),
                bit_depth=_whole(data, "bit_depth"),
                sampling=str(data["sampling"]),
            ),
        )
    except KeyError as missing:
        raise NotUnderstood(f"a signal format lacks {missing.args[0]!r}") from missing


def _whole(data: dict[str, Any], key: str) -> int:
    value = data[key]
    if not isinstance(value, int) or isinstance(value, bool):
        raise NotUnderstood("a whole number is wanted", subject=f"{key} {value!r}"[:60])
    return value


def _fraction(data: dict[str, Any], key: str) -> Fraction:
    value = data[key]
    try:
        if not isinstance(value, str) or len(value) > 30:
            raise ValueError
        return Fraction(value)
    except (ValueError, ZeroDivisionError) as error:
        raise NotUnderstood('a fraction "n/d" is wanted', subject=f"{key} {value!r}"[:60]) from error
