"""What is said on a drawn path: a station's three lines, a link's steps in a word each.

For the window and for paper.
"""

from __future__ import annotations

import re

from idle_quarry.counting import counted
from idle_quarry.path.codecs import gb_per_hour, mbps
from idle_quarry.path.evaluation import Link, Station
from idle_quarry.path.eyes import files_of
from idle_quarry.path.grades import Step
from idle_quarry.path.steps import ColourStep, DepthStep, FitStep, RangeStep, RateStep, ScanMethod, ScanStep
from idle_quarry.signal.formats import ORDER_WORDS, SAMPLINGS, SignalFormat
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.words import format_words


def display_size(station: Station) -> tuple[float, float]:
    """Return a station's width and height in lines of a square raster: anamorphic ones as they are shown."""
    raster = station.format.raster
    return float(raster.width * raster.pixel_aspect), float(raster.height)


def step_word(step: Step) -> str:
    """Return a step in a word or two for the strip."""
    if isinstance(step, FitStep):
        if step.scale_x == step.scale_y == 1:
            return "trim" if step.cropped else "bars" if step.unused else "label"
        return {0.5: "½ size", 2.0: "2 × size", 0.25: "¼ size"}.get(step.scale_y, f"{step.scale_y * 100:.0f} % high")
    if isinstance(step, RateStep):
        if step.cadence:
            return f"cadence {step.cadence}"
        short = {"speed": "speed", "nearest": "repeats" if step.repeated else "drops", "blend": "mix"}
        return short.get(step.method, step.method)
    if isinstance(step, ScanStep):
        if step.method in (ScanMethod.DEINTERLACE, ScanMethod.THERE_AND_BACK):
            return "deinterlace"
        if step.method in (ScanMethod.TAKEN_OUT, ScanMethod.PUT_IN):
            return step.method_words
        return "line shift" if step.method is ScanMethod.SHIFT else "fields"
    if isinstance(step, ColourStep):
        names = {"bt709": "SDR", "hlg": "HLG", "pq": "PQ", "gamma2.6": "print", "srgb": "sRGB", "linear": "linear"}
        before, after = step.transfer_from, step.transfer_to
        return f"{names[before]}→{names[after]}" if before != after else "colour"
    if isinstance(step, DepthStep):
        return f"{step.from_bits}→{step.to_bits} bit"
    return "range" if isinstance(step, RangeStep) else "chroma"


def in_two(words: str) -> tuple[str, str]:
    """Return a format's words for two lines: what it is, and its depth and sampling where they are said.

    >>> in_two("576i25 (50 fields/s) 4:3 bff 8bit 4:2:0")
    ('576i25 4:3 lower field first', '8 bit 4:2:0')
    """
    item = re.sub(r" \([^)]*\)", "", words).split()
    coded = [word for word in item if word in SAMPLINGS or word.endswith("bit")]
    shown = {"bff": ORDER_WORDS["bottom"], "tff": ORDER_WORDS["top"], "hlg": "HLG", "pq": "PQ", "p3": "P3"}
    return " ".join(shown.get(word, word) for word in item if word not in coded), " ".join(coded).replace("bit", " bit")


def format_head(fmt: SignalFormat) -> str:
    """Return a format in words without its depth and sampling: "576i25 4:3 lower field first", "2160p50 HLG"."""
    return in_two(format_words(fmt))[0]


def station_lines(station: Station) -> tuple[str, str, str]:
    """Return what stands beside a frame: name, format, depth and rate or share."""
    fmt = station.format
    second = format_head(fmt)
    third = f"{fmt.encoding.bit_depth} bit {fmt.encoding.sampling}"
    if fmt.scan == "interlaced":
        third = f"{rate_text(fmt.rate * 2)} fields/s · {fmt.encoding.bit_depth} bit"
    return station.name, second, third


def station_texts(station: Station, *, narrow: bool = False) -> tuple[str, str, str]:
    """Return the three lines beside a drawn station, with its share, its data rate or what it is made for."""
    first, second, third = station_lines(station)
    if narrow:
        third = f"{station.format.encoding.bit_depth} bit {station.format.encoding.sampling}"
    if station.share is not None:
        third = f"{station.share:g} % · {third}"
    if station.kind == "intermediate" and station.codec is not None:
        rate = mbps(station.codec, station.format) * files_of(station.eyes)
        second, third = f"{rate:.0f} Mb/s", f"{gb_per_hour(rate):.0f} GB/h"
    if station.kind == "proxy":
        first, second, third = "Proxy", station.name, f"{station.format.raster.size_text}"
    return first, second, third


def link_texts(link: Link, *, short: bool = False) -> tuple[str, str]:
    """Return what stands over a link's line and under it: its cost with the count of steps, and the steps."""
    count = len(link.steps)
    over = link.grade + (f" · {counted(count, 'step')}" if count and not short else "")
    under = " · ".join(step_word(step) for step in link.steps)
    if not under and link.coding is not None:
        quality = link.coding.codec.quality
        under = {"lossless": "lossless", "intermediate": "visually lossless"}.get(
            quality, "made for " + ("viewing" if quality == "proxy" else "delivery")
        )
    return over, under
