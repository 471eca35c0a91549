"""The catalogue of standard signal formats: which standard each is from, where it is used, what is legal."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from importlib.resources import files

from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import NAMED_RATES, rate_text
from idle_quarry.signal.words import COLOUR_WORDS, format_from_words


@dataclass(frozen=True)
class Standard:
    """One standard's rasters with the scans, rates, colours and depths they may have."""

    id: str
    name: str
    source: str
    rasters: tuple[tuple[int, int], ...]
    rates: dict[str, tuple[Fraction, ...]]
    colours: tuple[str, ...]
    depths: tuple[int, ...]
    territories: tuple[str, ...]
    offer: tuple[str, ...]


@dataclass(frozen=True)
class StandardFormat:
    """A format the program offers by name, with its standard."""

    format: SignalFormat
    words: str
    standard: Standard

    @property
    def territories(self) -> tuple[str, ...]:
        """Where this rate of the standard is used."""
        used = territories_of_rate(self.format.rate)
        if self.format.scan == "interlaced":
            used = tuple(t for t in used if t != "cinema")
        return tuple(t for t in self.standard.territories if t in used)


def territories_of_rate(rate: Fraction) -> tuple[str, ...]:
    """Return the territories in which programmes run at `rate`."""
    name = rate_text(rate)
    used = [
        territory
        for territory, rates in (
            ("50 Hz", ("25", "50")),
            ("59.94 Hz", ("23.976", "29.97", "30", "47.952", "59.94", "60")),
            ("cinema", ("24", "25", "30", "48", "50", "60")),  # SMPTE ST 428-11
        )
        if name in rates
    ]
    return tuple(used) or ("high rate",)


@lru_cache(maxsize=1)
def standards() -> tuple[Standard, ...]:
    """Return every standard of the catalogue."""
    data = tomllib.loads(files("idle_quarry.signal").joinpath("data/formats.toml").read_text(encoding="utf-8"))
    return tuple(
        Standard(
            id=entry["id"],
            name=entry["name"],
            source=entry["source"],
            rasters=tuple((int(w), int(h)) for w, h in (r.split("x") for r in entry["rasters"])),
            rates={s: tuple(NAMED_RATES[r] for r in entry[s]) for s in ("progressive", "interlaced", "psf")},
            colours=tuple(entry["colours"]),
            depths=tuple(entry["depths"]),
            territories=tuple(entry["territories"]),
            offer=tuple(entry["offer"]),
        )
        for entry in data["standard"]
    )


@lru_cache(maxsize=1)
def standard_formats() -> tuple[StandardFormat, ...]:
    """Return the formats offered by name, in the order of the catalogue."""
    return tuple(
        StandardFormat(format_from_words(words), words, standard)
        for standard in standards()
        for words in standard.offer
    )


def standard_of(fmt: SignalFormat) -> Standard | None:
    """Return the standard that has this raster at this scan and rate, or None."""
    size = (fmt.raster.width, fmt.raster.height)
    for standard in standards():
        if size in standard.rasters and fmt.rate in standard.rates[fmt.scan]:
            return standard
    return None


@lru_cache(maxsize=1024)
def irregularities(fmt: SignalFormat) -> tuple[str, ...]:
    """Return, a sentence each, what in a format no standard has together; empty where all is standard."""
    size = (fmt.raster.width, fmt.raster.height)
    having = [standard for standard in standards() if size in standard.rasters]
    if not having:
        return (f"{fmt.raster.size_text} is no standard's raster",)
    texts: list[str] = []
    matching = [standard for standard in having if fmt.rate in standard.rates[fmt.scan]]
    if not matching:
        rates = sorted({rate for standard in having for rate in standard.rates[fmt.scan]})
        has = ", ".join(rate_text(rate) for rate in rates) if rates else "none"
        texts.append(
            f"{having[0].source.split(';')[0]} has no {fmt.scan} pictures of {fmt.raster.size_text} "
            f"at {rate_text(fmt.rate)} (it has {has})"
        )
    pool = matching or having
    e = fmt.encoding
    words = dict.fromkeys(word for standard in pool for word in standard.colours)
    # R′G′B′ has the standard's primaries and transfer, and no matrix
    allowed = [
        (w["primaries"], w["transfer"], m) for w in map(COLOUR_WORDS.__getitem__, words) for m in (w["matrix"], "rgb")
    ]
    if (e.primaries, e.transfer, e.matrix) not in allowed:
        texts.append(f"its colour is none of {pool[0].name}'s ({', '.join(words)})")
    if is_hdr(e.transfer) and fmt.scan != "progressive":
        texts.append("HDR is progressive: BT.2100 has no fields")
    depths = sorted({depth for standard in pool for depth in standard.depths})
    if is_hdr(e.transfer) and e.bit_depth < 10:
        texts.append(f"{e.transfer.upper()} needs at least 10 bits (BT.2100)")
    elif e.bit_depth not in depths:
        texts.append(f"{pool[0].name} has {', '.join(str(depth) for depth in depths)} bits, not {e.bit_depth}")
    return tuple(texts)


@lru_cache(maxsize=1024)
def nearest_standard(fmt: SignalFormat) -> StandardFormat:
    """Return the offered format that differs least from `fmt`: of its light and rate where there is one, then
    raster, scan, colour.
    """

    def distance(candidate: StandardFormat) -> tuple[float, ...]:
        other = candidate.format
        shape = abs(float(other.raster.display_aspect / fmt.raster.display_aspect) - 1)
        size = abs(other.raster.height - fmt.raster.height) / fmt.raster.height
        width = abs(other.raster.width - fmt.raster.width) / fmt.raster.width
        pace = abs(float(other.rate / fmt.rate) - 1)
        scan = float(other.scan != fmt.scan)
        e, o = fmt.encoding, other.encoding
        colour = (e.primaries != o.primaries) + 2 * (e.transfer != o.transfer) + (e.matrix != o.matrix)
        light = float(e.transfer != o.transfer)
        return (light, round(pace, 4), round(size + width + shape, 3) + 0.25 * scan, colour)

    return min(standard_formats(), key=distance)
