"""Rasters: how many samples and lines, and what shape each sample has."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from idle_quarry.errors import NotPossible, NotUnderstood

FOUR_THREE = Fraction(4, 3)
SIXTEEN_NINE = Fraction(16, 9)
SQUARE = Fraction(1)

#: Over how many of the 720 samples of a standard-definition line the picture is counted, by its lines; the usual one
#: first. 702 and 711 follow BT.601's sampling of the analogue picture, 711 with all of its 486 lines. Digital systems
#: of 480 lines have 4:3 and 16:9 in 704 (SMPTE RP 187's clean aperture; ATSC A/53, table 6.2). 720 counts the whole
#: line.
LINE_CONVENTIONS: dict[int, tuple[int, ...]] = {576: (702, 704, 720), 486: (711, 704, 720), 480: (704, 711, 720)}
_ACTIVE_LINES = {576: 625, 480: 525, 486: 525}
#: The lines over which a 525-line picture of 4:3 is counted, for each convention.
_SHAPE_LINES = {711: 486, 704: 480}
MAX_SIDE = 32768

#: Rasters that people know by name.
NAMED: dict[tuple[int, int], str] = {
    (720, 576): "625-line SD",
    (720, 486): "525-line SD, 486 lines",
    (720, 480): "525-line SD, 480 lines",
    (1280, 720): "HD 720",
    (960, 720): "thin HD 720",
    (1920, 1080): "HD",
    (1440, 1080): "thin HD",
    (1280, 1080): "thin HD",
    (3840, 2160): "UHD",
    (7680, 4320): "UHD 8K",
    (2048, 1080): "DCI 2K full",
    (1998, 1080): "DCI 2K flat",
    (2048, 858): "DCI 2K scope",
    (4096, 2160): "DCI 4K full",
    (3996, 2160): "DCI 4K flat",
    (4096, 1716): "DCI 4K scope",
    (1080, 1920): "vertical 9:16",
    (1080, 1080): "square",
    (1080, 1350): "upright 4:5",
}

#: Lines → samples a line where only lines are said.
DEFAULT_WIDTHS = {480: 720, 486: 720, 576: 720, 720: 1280, 1080: 1920, 2160: 3840, 4320: 7680}
_THIN = {(1440, 1080): Fraction(4, 3), (1280, 1080): Fraction(3, 2), (960, 720): Fraction(4, 3)}


@dataclass(frozen=True)
class Raster:
    """Samples a line, lines, and the pixel aspect (width of a sample over its height).

    Raises `NotPossible` for sides outside 16 to 32768 and for shapes thinner than 1:4 or wider than 4:1.
    """

    width: int
    height: int
    pixel_aspect: Fraction = SQUARE

    def __post_init__(self) -> None:
        if not (16 <= self.width <= MAX_SIDE and 16 <= self.height <= MAX_SIDE):
            raise NotPossible(f"a raster has 16 to {MAX_SIDE} samples and lines", subject=self.size_text)
        if not Fraction(1, 4) <= self.pixel_aspect <= 4:
            raise NotPossible("a pixel aspect lies from 1:4 to 4:1", subject=str(self.pixel_aspect))

    @property
    def size_text(self) -> str:
        return f"{self.width} × {self.height}"

    @property
    def name(self) -> str | None:
        """The name people know the raster by, or None."""
        return NAMED.get((self.width, self.height))

    @property
    def line_system(self) -> int | None:
        """625 or 525 for the standard-definition rasters of 720 (or 704) samples, else None."""
        return _ACTIVE_LINES.get(self.height) if self.width in (704, 720) else None

    @property
    def convention(self) -> tuple[int, Fraction] | None:
        """For an SD raster: the samples counted as the picture, and the picture's aspect (4:3, 16:9)."""
        if self.line_system is None or self.width != 720:
            return None
        for aspect in (FOUR_THREE, SIXTEEN_NINE):
            for samples in LINE_CONVENTIONS[self.height]:
                if sd_pixel_aspect(self.height, aspect, samples) == self.pixel_aspect:
                    return samples, aspect
        return None

    @property
    def picture_width(self) -> Fraction:
        """Samples a line of the nominal picture: 702 of a 720-sample line under that convention."""
        convention = self.convention
        if convention is None:
            return Fraction(self.width)
        samples, _ = convention
        return min(Fraction(samples), Fraction(self.width))

    @property
    def display_aspect(self) -> Fraction:
        """Width over height of the nominal picture as shown."""
        convention = self.convention
        if convention is not None:
            return convention[1]
        exact = self.width * self.pixel_aspect / self.height
        if self.line_system is not None:  # coarse container clocks aside, SD is 4:3 or 16:9
            for aspect in (FOUR_THREE, SIXTEEN_NINE):
                if abs(exact / aspect - 1) < Fraction(3, 100):
                    return aspect
        return exact


def sd_pixel_aspect(height: int, aspect: Fraction, samples: int) -> Fraction:
    """Return the pixel aspect of an SD raster of `height` lines whose `aspect` picture is `samples` wide.

    Over 711 and 704 samples of a 525-line system the picture is counted on 486 and 480 lines.
    Raises `NotPossible` for samples no convention names.

    >>> sd_pixel_aspect(576, Fraction(4, 3), 702)
    Fraction(128, 117)
    """
    system = _ACTIVE_LINES.get(height)
    if system is None or samples not in LINE_CONVENTIONS[height]:
        raise NotPossible(f"no convention counts a picture of {height} lines over {samples} samples")
    lines = _SHAPE_LINES.get(samples, height) if system == 525 else height
    return aspect * lines / samples


def default_pixel_aspect(width: int, height: int, aspect: Fraction | None = None) -> Fraction:
    """Return the pixel aspect the raster's standard gives it, for a picture of `aspect` where it must be said."""
    if width in (704, 720) and height in _ACTIVE_LINES:
        if width == 704:
            return (aspect or FOUR_THREE) * (480 if height != 576 else height) / 704
        return sd_pixel_aspect(height, aspect or FOUR_THREE, LINE_CONVENTIONS[height][0])
    if aspect is None:
        return _THIN.get((width, height), SQUARE)
    return aspect * height / width


def raster_from_text(text: str) -> Raster:
    """Return the raster written as "1920 × 1080" or by its name ("DCI 2K scope"), with its standard's pixels.

    Raises `NotUnderstood` or `NotPossible`.
    """
    cleaned = " ".join(text.strip().lower().split())
    for (width, height), name in NAMED.items():
        if cleaned == name.lower() and list(NAMED.values()).count(name) == 1:
            return Raster(width, height, default_pixel_aspect(width, height))
    match = re.match(r"(\d{1,6}) ?[x×] ?(\d{1,6})(?![\d.])", cleaned, re.ASCII)
    if match is None:
        raise NotUnderstood("not a raster", subject=repr(text), remedy="type samples × lines, such as 1920 × 1080")
    width, height = int(match[1]), int(match[2])
    return Raster(width, height, default_pixel_aspect(width, height))


def aspect_text(aspect: Fraction) -> str:
    """Return an aspect as people say it: "16:9", "4:3", "1.90:1", "2.39:1"."""
    for known in ((16, 9), (4, 3), (9, 16), (1, 1), (4, 5), (3, 2), (5, 4), (3, 4)):
        if aspect == Fraction(*known):
            return f"{known[0]}:{known[1]}"
    return f"{float(aspect):.2f}:1"


@dataclass(frozen=True)
class SafeArea:
    """A rectangle of whole samples and lines inside a raster."""

    x: int
    y: int
    width: int
    height: int


#: EBU R 95 (2017), table 1: what is left free at each edge, as a share of width and of height.
SAFE_AREA_EDGES = {"action": Fraction(35, 1000), "graphics": Fraction(5, 100)}


def safe_area(raster: Raster, kind: str) -> SafeArea:
    """Return the "action" or "graphics" safe area of `raster` by EBU R 95: 3.5 % and 5 % free at each edge.

    In SD the edges are those of the nominal picture, 702 of 720 samples: the rest is blanking.

    >>> safe_area(Raster(1920, 1080), "action")
    SafeArea(x=67, y=38, width=1786, height=1004)
    """
    edge = SAFE_AREA_EDGES[kind]
    blanking = (raster.width - raster.picture_width) / 2
    x, y = round(blanking + raster.picture_width * edge), round(raster.height * edge)
    return SafeArea(x, y, raster.width - 2 * x, raster.height - 2 * y)


#: Shapes that may be kept free inside a wider picture.
PROTECTED = {"14:9": Fraction(14, 9), "4:3": Fraction(4, 3)}


def shape_of(raster: Raster) -> str:
    """Return the shape a picture is shown in, as aspect ratios are written: "16:9", "4:3"."""
    return aspect_text(raster.display_aspect)


def protected_area(raster: Raster, shape: str) -> SafeArea | None:
    """Return the middle of `raster` that a narrower shape shows, None where it is no narrower.

    >>> protected_area(Raster(1920, 1080), "4:3")
    SafeArea(x=240, y=0, width=1440, height=1080)
    """
    wanted = PROTECTED[shape]
    if raster.display_aspect <= wanted:
        return None
    width = round(raster.picture_width * wanted / raster.display_aspect)
    return SafeArea(round((raster.width - width) / 2), 0, width, raster.height)
