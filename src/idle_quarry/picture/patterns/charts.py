"""Moving test charts, computed at any raster, shape and moment, so that what a conversion should give is known.

A chart is a function of place and time. Places are counted in picture heights from the picture's middle, down and
across, and time in seconds; a chart knows the finest detail it may show (cycles a picture height, down and across) and
leaves out what lies beyond, so that the same chart at a smaller raster is what a perfect filter would leave of it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib.resources import as_file, files
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from idle_quarry.path.steps.fit import Placement
from idle_quarry.picture.fields import low_passed
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.patterns.bars import GRID, pattern
from idle_quarry.picture.planes import Planes, chroma_sampled, codes_of_planes, from_rgb, planes_of_codes
from idle_quarry.picture.recolouring import converted_planes
from idle_quarry.signal.formats import SignalFormat

Values = NDArray[Any]
Channels = tuple[Values, Values, Values]


@dataclass(frozen=True)
class Grid:
    """Where samples lie on the picture of `fmt`: `down` (h, 1) and `across` (1, w), picture heights from its middle.

    `fine_down` and `fine_across` are the finest detail that is shown, cycles a picture height.
    """

    fmt: SignalFormat
    down: Values
    across: Values
    fine_down: float
    fine_across: float

    @property
    def cell(self) -> tuple[float, float]:
        """Height and width of a sample, picture heights."""
        step = [
            float(plane.ravel()[1] - plane.ravel()[0]) if plane.size > 1 else 1.0 for plane in (self.down, self.across)
        ]
        return step[0], step[1]


@dataclass(frozen=True)
class Chart:
    """A chart: its name, what it shows in a sentence, and R′, G′, B′ by grid and seconds, from 0 to 1."""

    id: str
    name: str
    text: str
    draw: Callable[[Grid, float], Channels]


def _single(places: Values) -> Values:
    # single precision places the finest ring to a ten-thousandth of its width, in half the time
    return places.astype(np.float32)


def grid_of(fmt: SignalFormat) -> Grid:
    """Return the grid of a format's raster: the nominal picture is one height high, in its own shape."""
    raster = fmt.raster
    aspect = float(raster.pixel_aspect)
    down = (np.arange(raster.height) + 0.5) / raster.height - 0.5
    across = (np.arange(raster.width) + 0.5 - raster.width / 2) * aspect / raster.height
    return Grid(fmt, _single(down)[:, None], _single(across)[None, :], raster.height / 2, raster.height / (2 * aspect))


def grid_after(source: SignalFormat, target: SignalFormat, placement: Placement | None) -> Grid:
    """Return where the target's samples lie on the source's picture, and the finest detail that both can carry."""
    own = grid_of(source)
    if placement is None:
        return own
    height, width = target.raster.height, target.raster.width
    sx, sy = float(placement.scale_x), float(placement.scale_y)
    down = (np.arange(height) + 0.5 - float(placement.offset_y)) / sy
    across = (np.arange(width) + 0.5 - float(placement.edge_x)) / sx
    shape = float(source.raster.pixel_aspect)
    down = down / source.raster.height - 0.5
    across = (across - source.raster.width / 2) * shape / source.raster.height
    fine = min(own.fine_down, own.fine_down * sy), min(own.fine_across, own.fine_across * sx)
    return Grid(source, _single(down)[:, None], _single(across)[None, :], *fine)


def _resolved(frequency: Values, finest: float) -> Values:
    """Return how much of detail of a frequency is shown: all below nine tenths of the finest, none above it."""
    return np.clip((finest - np.abs(frequency)) / (0.1 * finest), 0, 1)


def _grey(luma: Values) -> Channels:
    return luma, luma, luma


def zone_steepness(grid: Grid) -> float:
    """Return the zone plate's frequency at the upper and lower edge, cycles a picture height."""
    return grid.fmt.raster.height / 2


def _zone_plate(grid: Grid, seconds: float) -> Channels:
    # at the upper and lower edge as fine as the source's lines can show; rings move outward
    steep = zone_steepness(grid)
    phase = steep * (grid.down**2 + grid.across**2) - 2.0 * seconds
    amount = _resolved(2 * steep * grid.down, grid.fine_down) * _resolved(2 * steep * grid.across, grid.fine_across)
    return _grey(0.5 + 0.4 * amount * np.cos(2 * np.pi * phase))


def _ramps(grid: Grid, seconds: float) -> Channels:
    """Six bands: grey from black to white, R, G, B, a shallow grey and a shallow dark one, all drifting slowly."""
    across = grid.across / (2 * np.abs(grid.across).max()) + 0.5 + 0.02 * seconds
    ramp = 1 - np.abs((across % 2) - 1)  # up and down again, without a seam
    band = np.clip(((grid.down + 0.5) * 6).astype(int), 0, 5)
    shallow = 0.45 + 0.1 * ramp
    dark = 0.02 + 0.06 * ramp
    bands = [(ramp, ramp, ramp), (ramp, 0 * ramp, 0 * ramp), (0 * ramp, ramp, 0 * ramp), (0 * ramp, 0 * ramp, ramp)]
    bands += [(shallow,) * 3, (dark,) * 3]
    red, green, blue = (np.choose(band, [row[n] for row in bands]) for n in range(3))
    return red, green, blue


_WORDS = "Larkmoor Finishing · lines of text as they crawl: 1 2 3 4 5 6 7 8 9 0 · Idle Quarry · stop · "
_TEXT_LINES = 96


@lru_cache(maxsize=1)
def _strip_of_text() -> Values:
    """Return one line of text, (lines, samples), 0…1, to be repeated."""
    with as_file(files("idle_quarry").joinpath("fonts/B612-Bold.otf")) as path:
        font = ImageFont.truetype(path, int(_TEXT_LINES * 0.72))
        width = int(font.getlength(_WORDS))
        image = Image.new("L", (width, _TEXT_LINES), 0)
        ImageDraw.Draw(image).text((0, _TEXT_LINES // 2), _WORDS, fill=255, font=font, anchor="lm")
    return np.asarray(image, np.float64) / 255


def _averaged(strip: Values, centres: Values, span: float, axis: int) -> Values:
    """Return the mean of a strip, repeated along `axis`, over `span` samples around each place."""
    sums = np.concatenate([np.zeros_like(strip.take([0], axis)), strip.cumsum(axis)], axis)
    length = strip.shape[axis]
    whole = sums.take([length], axis)

    def upto(places: Values) -> Values:
        turns, rest = np.divmod(places, length)
        low = rest.astype(int)
        part = np.expand_dims(rest - low, 1 - axis)
        low = np.minimum(low, length - 1)
        between = sums.take(low, axis) * (1 - part) + sums.take(low + 1, axis) * part
        return np.asarray(between + np.expand_dims(turns, 1 - axis) * whole)

    return (upto(centres + span / 2) - upto(centres - span / 2)) / span


def _crawl(grid: Grid, seconds: float) -> Channels:
    """Lines of text of three sizes; each crawls to the left, the lowest quickest."""
    result = np.full((grid.down.size, grid.across.size), 0.12, np.float32)
    for top, high, speed in (
        (-0.42, 0.09, 0.05),
        (-0.3, 0.05, 0.12),
        (-0.22, 0.03, 0.2),
        (0.05, 0.14, 0.3),
        (0.28, 0.06, 0.4),
    ):
        inside = np.flatnonzero((grid.down[:, 0] >= top) & (grid.down[:, 0] < top + high))
        if not inside.size:
            continue
        scale = _TEXT_LINES / high  # samples of the strip for each picture height
        # a sample is the mean of the area it covers, or of the finest detail's half wave where that is more
        tall, wide = max(grid.cell[0], 0.5 / grid.fine_down), max(grid.cell[1], 0.5 / grid.fine_across)
        lines = _averaged(_strip_of_text(), (grid.down[inside, 0] - top) * scale, tall * scale, 0)
        places = (grid.across[0] + speed * seconds + 3.0) * scale
        result[inside] += 0.73 * np.clip(_averaged(lines, places, wide * scale, 1), 0, 1)
    return _grey(result)


def _wedge(grid: Grid, seconds: float) -> Channels:
    """A star of 36 spokes that turns, one turn in 24 seconds: every slope, finer toward the middle."""
    spokes = 36
    radius = np.hypot(grid.down, grid.across)
    angle = np.arctan2(grid.down, grid.across) + 2 * np.pi * seconds / 24
    # local frequency is spokes / (2πr) across the spokes; its part down and across by their direction
    frequency = spokes / (2 * np.pi * np.maximum(radius, 1e-6))
    slope_down, slope_across = (
        np.abs(grid.across) / np.maximum(radius, 1e-6),
        np.abs(grid.down) / np.maximum(radius, 1e-6),
    )
    amount = _resolved(frequency * slope_down, grid.fine_down) * _resolved(frequency * slope_across, grid.fine_across)
    amount = amount * np.clip((0.46 - radius) * 400, 0, 1)
    return _grey(0.5 + 0.4 * amount * np.cos(spokes * angle))


def _diagonals(grid: Grid, seconds: float) -> Channels:
    """Hard-edged lines at eight slopes, from nearly level to steep, moving across; each sample is what it covers."""
    result = np.full((grid.down.size, grid.across.size), 0.1, np.float32)
    tall, wide = max(grid.cell[0], 0.5 / grid.fine_down), max(grid.cell[1], 0.5 / grid.fine_across)
    half = float(np.abs(grid.across).max())
    for number, degrees in enumerate((2, 5, 10, 20, 35, 50, 70, 85)):
        left = -half + number * half / 4
        inside = np.flatnonzero((grid.across[0] >= left) & (grid.across[0] < left + half / 4))
        if not inside.size:
            continue
        cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        away = cos * grid.down + sin * grid.across[:, inside] - 0.06 * seconds
        period, thick = 0.024, 0.007
        rest = np.abs((away % period) - period / 2)
        soft = np.abs(cos) * tall + np.abs(sin) * wide
        result[:, inside] += 0.75 * np.clip((thick / 2 - rest) / soft + 0.5, 0, 1)
    return _grey(result)


def _bars(grid: Grid, _seconds: float) -> Channels:
    """The still line-up bars of the format's standard."""
    aspect = float(grid.fmt.raster.display_aspect)
    across, down = grid.across[0] / aspect + 0.5, grid.down[:, 0] + 0.5
    rgb = np.zeros((down.size, across.size, 3), np.float32)
    top = 0.0
    for band in pattern(grid.fmt).bands:
        inside = (down >= top) & (down < top + band.height / GRID[1])
        top += band.height / GRID[1]
        left = 0.0
        for cell in band.cells:
            share = cell.width / GRID[0]
            here = (across >= left) & (across < left + share)
            rise = ((across[here] - left) / share)[:, None]
            rgb[np.ix_(inside, here)] = np.array(cell.colour) + rise * (np.array(cell.to or cell.colour) - cell.colour)
            left += share
    return rgb[..., 0], rgb[..., 1], rgb[..., 2]


CHARTS: dict[str, Chart] = {
    chart.id: chart
    for chart in (
        Chart(
            "zone",
            "Zone plate",
            "Rings as fine as the source can show, in every direction: what should be grey and shows rings is"
            " aliasing.",
            _zone_plate,
        ),
        Chart(
            "wedge",
            "Turning wedge",
            "Spokes that turn and grow finer toward the middle: resolution in every direction, and what motion costs.",
            _wedge,
        ),
        Chart(
            "crawl",
            "Crawling text",
            "Text of five sizes at five speeds: combing, doubling and twitter are seen at once.",
            _crawl,
        ),
        Chart(
            "diagonals",
            "Fine diagonals",
            "Hard lines from nearly level to steep, moving: steps and broken lines.",
            _diagonals,
        ),
        Chart("ramps", "Ramps", "Grey, red, green, blue, and two shallow greys: bands are lost bits.", _ramps),
        Chart("bars", "Bars", "The line-up bars of the source's standard, still: levels and matrix.", _bars),
    )
}


def drawn(chart: str, grid: Grid, seconds: float) -> Channels:
    """Return R′, G′, B′ of a chart, each (h, w), in the colour of the grid's format. Raises `KeyError` for no chart."""
    return CHARTS[chart].draw(grid, seconds)


def chart_frame(chart: str, fmt: SignalFormat, index: int) -> Planes:
    """Return frame `index` of a chart as a camera of that format gives it: its fields, codes and chroma; planes."""
    grid = grid_of(fmt)
    rate = float(fmt.rate)
    full = replace(fmt.encoding, sampling="4:4:4")
    if fmt.scan == "interlaced":
        first = 0 if fmt.field_order == "top" else 1
        early, late = (from_rgb(drawn(chart, grid, (index + half) / rate), full) for half in (0, 0.5))
        woven = []
        for one, other in zip(early, late, strict=True):
            one, plane = low_passed(one), low_passed(other)
            plane[first::2] = one[first::2]
            woven.append(plane)
        planes: Planes = tuple(woven)
    else:
        planes = from_rgb(drawn(chart, grid, index / rate), full)
    if fmt.encoding.matrix != "rgb":
        planes = chroma_sampled(planes, "4:4:4", fmt.encoding, fmt.scan == "interlaced")
    return planes_of_codes(codes_of_planes(planes, fmt.encoding, "round"), fmt.encoding)


def chart_truth(chart: str, conversion: Conversion, index: int) -> Channels:
    """Return R′, G′, B′ that a perfect conversion gives at output frame `index`, each (h, w), float32.

    The chart as it is at that frame's own moments, band-limited to what source and target can both carry, in the
    target's colour; interlaced frames are woven of two moments, each low-passed as a camera does.
    """
    source, target = conversion.source, conversion.target
    grid = grid_after(source, target, conversion.plan.placement)
    pictures = []
    for moment in range(1 if conversion.one_moment else 2):
        number = index if conversion.one_moment else 2 * index + moment
        channels = drawn(chart, grid, float(conversion.shown_seconds(number)))
        pictures.append([_inside(channel, source, grid) for channel in channels])
    if len(pictures) == 2:
        first = 0 if target.field_order == "top" else 1
        for one, other in zip(*pictures, strict=True):
            one[:], other[:] = low_passed(one), low_passed(other)
            other[first::2] = one[first::2]
    pair = (source.encoding.primaries, source.encoding.transfer), (target.encoding.primaries, target.encoding.transfer)
    red, green, blue = converted_planes(pictures[-1], *pair)
    return red, green, blue


def _inside(channel: Values, source: SignalFormat, grid: Grid) -> Values:
    """Return a channel, black where the source has no picture."""
    own = grid_of(source)
    tall, wide = own.cell
    there = (np.abs(grid.down) <= abs(own.down[0, 0]) + tall / 2) & (
        np.abs(grid.across) <= abs(own.across[0, 0]) + wide / 2
    )
    return np.where(there, channel, 0.0)
