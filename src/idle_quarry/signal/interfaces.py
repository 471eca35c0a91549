"""Serial digital interfaces: the total raster of a format and the smallest link that carries it."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from importlib.resources import files
from typing import Any

from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import counting_base


@dataclass(frozen=True)
class Carriage:
    """How a format travels: total samples and lines, its rate in Gb/s, the smallest interface."""

    total_samples: int
    total_lines: int
    gbps: float
    interface: str
    standard: str


@lru_cache(maxsize=1)
def _tables() -> dict[str, Any]:
    return tomllib.loads(files("idle_quarry.signal").joinpath("data/interfaces.toml").read_text(encoding="utf-8"))


INTERFACES = ("SD", "SD 540", "HD", "3G", "6G", "12G")


@lru_cache(maxsize=512)
def carriage(fmt: SignalFormat) -> Carriage | None:
    """Return the total raster and interface of `fmt`, or None where no serial interface carries it.

    The rate is total samples × total lines × frame rate × 20 bits for 4:2:2 and 4:2:0 up to 10 bits,
    twice that for 4:4:4 or 12 bits (ST 292-1, ST 425-1, ST 2081-10, ST 2082-10). No interface carries 16 bits, and SD
    travels over those of SD only (ST 259, progressive ST 344).

    >>> from idle_quarry.signal.words import format_from_words
    >>> carriage(format_from_words("1080i25")).gbps
    1.485
    """
    if fmt.encoding.bit_depth > 12:
        return None
    for total in _tables()["total"]:
        if fmt.raster.width != total["width"] or fmt.raster.height not in total["heights"]:
            continue
        samples = total["samples"].get(str(counting_base(fmt.rate)))
        if samples is None:
            return None
        bits = 20 if fmt.encoding.sampling != "4:4:4" and fmt.encoding.bit_depth <= 10 else 40
        exact = Fraction(samples * total["lines"] * bits) * fmt.rate / 10**9
        for interface in _tables()["interface"]:
            of_sd = interface["id"].startswith("SD")
            if exact <= Fraction(str(interface["gbps"])) and of_sd == (fmt.raster.line_system is not None):
                return Carriage(samples, total["lines"], float(exact), interface["id"], interface["standard"])
        return None
    return None
