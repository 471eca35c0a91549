"""How a format travels: over which interface, as which streams of words, in how many links.

A link's frame is an array (lines, words, streams): its last axis is the order of the multiplex, so that the array in
memory is what the line carries. SD has one stream; HD and 3G level A colour differences before luma (ST 292-1, ST
425-1); 3G level B link B before link A, colour differences before luma; 6G and 12G their eight streams as ST 2081-10
and ST 2082-10 interleave them: 4, 2, 3, 1 of the colour differences, then of luma.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from idle_quarry.errors import NotPossible
from idle_quarry.line.rasters import LineRaster, line_rasters
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.interfaces import carriage
from idle_quarry.signal.rates import counting_base
from idle_quarry.signal.words import format_words


@dataclass(frozen=True)
class Interface:
    """A serial interface: its name, what it is called on a cable, its clock in words a second (of one link), its
    standard.
    """

    id: str
    text: str
    mwords: float
    links: int
    standard: str


INTERFACES = {
    interface.id: interface
    for interface in (
        Interface("SD", "SD, 270 Mb/s", 27.0, 1, "SMPTE ST 259-C"),
        Interface("HD", "HD, 1.485 Gb/s", 148.5, 1, "SMPTE ST 292-1"),
        Interface("3G-A", "3G level A, 2.97 Gb/s", 297.0, 1, "SMPTE ST 425-1"),
        Interface("3G-B", "3G level B, two links in one", 297.0, 1, "SMPTE ST 425-1, ST 372"),
        Interface("3G-B two streams", "3G level B, two pictures", 297.0, 1, "SMPTE ST 425-1"),
        Interface("6G", "6G, 5.94 Gb/s", 594.0, 1, "SMPTE ST 2081-10"),
        Interface("12G", "12G, 11.88 Gb/s", 1188.0, 1, "SMPTE ST 2082-10"),
        Interface("quad 3G", "four 3G, samples in pairs", 297.0, 4, "SMPTE ST 425-5"),
        Interface("quad 3G square", "four 3G, a quarter of the picture each", 297.0, 4, "SMPTE ST 425-5"),
    )
}


@dataclass(frozen=True)
class Transport:
    """How one format travels over one interface.

    `samples` and `width` are of a stream's picture (of a quarter where the picture is divided), `step` how many words
    of a stream a sample takes (2 at 4:4:4 and 12 bits), `mapping` one of "4:2:2", "4:4:4", "4:4:4 12", "4:2:2 12";
    `parts` how many pictures, quarters or halves a frame holds, in the order of standards; `division` how they are cut.
    """

    interface: Interface
    raster: LineRaster
    samples: int
    width: int
    height: int
    mapping: str
    parts: int
    division: str
    payload_first: int
    streams: int
    pictures: int = 1  #: how many pictures of the format one frame of the interface holds

    @property
    def step(self) -> int:
        return 1 if self.mapping == "4:2:2" or self.interface.id.startswith("3G-B") else 2

    @property
    def words(self) -> int:
        """Words of one stream in a line."""
        return 2 * self.samples if self.raster.of_sd else self.samples * self.step

    @property
    def sav(self) -> int:
        """Where in a line the timing reference before the picture begins."""
        return self.words - 4 - (2 * self.width if self.raster.of_sd else self.width * self.step)

    @property
    def head(self) -> int:
        """Where horizontal blanking begins: behind EAV, in HD behind line number and CRC."""
        return 4 if self.raster.of_sd else 8

    @property
    def words_per_frame(self) -> int:
        return self.raster.lines * self.words * self.streams

    def luma_at(self, part: int) -> int:
        """Return which stream of a link's array carries luma of a part (0 the first picture, quarter or link)."""
        return self.streams // 2 + self._rank(part)

    def chroma_at(self, part: int) -> int:
        return self._rank(part)

    def _rank(self, part: int) -> int:
        return {1: (0,), 2: (1, 0), 4: (3, 1, 2, 0)}[self.streams // 2 if self.streams > 1 else 1][part]


_SUB_RASTER = {(3840, 2160): (1920, 1080), (4096, 2160): (2048, 1080)}
#: The first byte of ST 352 by interface and lines.
_PAYLOAD_FIRST = {
    ("SD", 625): 0x81, ("SD", 525): 0x81, ("HD", 750): 0x84, ("HD", 1125): 0x85, ("3G-A", 750): 0x88, ("3G-A",
    1125): 0x89,
    ("3G-B", 1125): 0x8A, ("3G-B two streams", 750): 0x8B, ("3G-B two streams", 1125): 0x8C, ("6G", 1125): 0xC0,
    ("12G", 1125): 0xCE, ("quad 3G", 1125): 0x97, ("quad 3G square", 1125): 0x89,
}  # fmt: skip


def _fast(fmt: SignalFormat) -> bool:
    return counting_base(fmt.rate) > 30


def _deep(fmt: SignalFormat) -> bool:
    return fmt.encoding.bit_depth > 10 or fmt.encoding.sampling == "4:4:4"


def _why_not(fmt: SignalFormat, interface: str) -> str:
    """Return why an interface does not carry a format, "" where it does."""
    uhd = (fmt.raster.width, fmt.raster.height) in _SUB_RASTER
    sd, hd720 = fmt.raster.line_system is not None, fmt.raster.height == 720
    fast, deep = _fast(fmt), _deep(fmt)
    if interface == "SD":
        if not sd:
            return "SD carries 576i25 and 480i29.97 only"
        return "SD carries 4:2:2 at 10 bits only (ST 259)" if deep else ""
    if sd:
        return "lines of SD travel over SD only"
    if interface in ("6G", "12G", "quad 3G", "quad 3G square"):
        if not uhd:
            return "it carries 2160 lines only"
        if interface == "6G":
            return "6G carries 2160 lines to 30 a second at 4:2:2 and 10 bits" if fast or deep else ""
        if interface == "12G":
            return (
                "" if fast != deep else ("12G carries 4:2:2 at 10 bits above 30 a second" if fast else "6G is enough")
            )
        return "" if fast and not deep else "four 3G links carry 2160 lines above 30 a second at 4:2:2 and 10 bits"
    if uhd:
        return "2160 lines need 6G, 12G or four 3G links"
    doubled = deep or (fast and not hd720)
    if interface == "HD":
        return "it needs twice what HD carries" if doubled else ""
    if interface == "3G-A":
        return (
            ""
            if doubled and not (deep and fast and not hd720)
            else ("HD is enough" if not doubled else "no 3G link carries so much")
        )
    if interface == "3G-B":
        if fmt.encoding.bit_depth > 10:
            return "12 bits travel over level A here"
        if hd720:
            return "720 lines do not travel as two links (ST 372)"
        return (
            "" if doubled and not (deep and fast) else ("HD is enough" if not doubled else "no 3G link carries so much")
        )
    return "" if not doubled else "each of its two pictures needs what HD carries"


@lru_cache(maxsize=512)
def transport(fmt: SignalFormat, interface: str = "") -> Transport:
    """Return how `fmt` travels, by an interface's id, or by the smallest that carries it.

    Raises `NotPossible` with the reason where that interface, or none, carries it.

    >>> from idle_quarry.signal.words import format_from_words
    >>> transport(format_from_words("1080p59.94")).interface.id
    '3G-A'
    """
    name = format_words(fmt)
    carried = carriage(fmt)
    if carried is None:
        raise NotPossible("no serial interface carries it", subject=name, remedy="choose a standard broadcast format")
    if carried.interface == "SD 540":
        raise NotPossible(
            "only ST 344's 540 Mb/s carries it, which no device here has", subject=name, remedy="send it interlaced"
        )
    if not interface:
        fitting = [name for name in INTERFACES if not _why_not(fmt, name)]
        if not fitting:
            why = " and ".join(sorted({_why_not(fmt, name) for name in ("3G-A", "12G")}))
            raise NotPossible(f"no serial interface carries it: {why}", subject=name)
        interface = fitting[0]
    reason = _why_not(fmt, interface_named(interface).id)
    if reason:
        fitting = [name for name in INTERFACES if not _why_not(fmt, name)]
        raise NotPossible(
            f"does not travel over {interface}: {reason}",
            subject=name,
            remedy=f"use {' or '.join(fitting)}" if fitting else "",
        )
    return _built(fmt, interface_named(interface), carried.total_samples)


def transports(fmt: SignalFormat) -> Iterator[Transport]:
    """Yield every way in which a format travels, the smallest interface first."""
    for name in INTERFACES:
        if carriage(fmt) is not None and not _why_not(fmt, name):
            yield transport(fmt, name)


def interface_named(text: str) -> Interface:
    """Return an interface by its id, however it is spaced or cased. Raises `NotPossible` for others."""

    def bare(name: str) -> str:
        return "".join(c for c in name.casefold() if c.isalnum())

    for interface in INTERFACES.values():
        if bare(interface.id) == bare(text):
            return interface
    raise NotPossible("no such interface", subject=repr(text), remedy="use " + ", ".join(INTERFACES))


def _built(fmt: SignalFormat, interface: Interface, samples: int) -> Transport:
    width, height = fmt.raster.width, fmt.raster.height
    sub = _SUB_RASTER.get((width, height))
    if sub is not None:
        samples //= 2
        width, height = sub
    if fmt.raster.line_system is not None:
        raster = line_rasters()[str(fmt.raster.line_system)]
    elif height == 720:
        raster = line_rasters()["750"]
    else:
        fields = fmt.scan in ("interlaced", "psf") or (interface.id == "3G-B" and _fast(fmt))
        raster = line_rasters()["1125 interlaced" if fields else "1125 progressive"]
    chroma = "4:4:4" if fmt.encoding.sampling == "4:4:4" else "4:2:2"
    mapping = f"{chroma} 12" if fmt.encoding.bit_depth == 12 else chroma
    division, parts, streams, pictures = "", 1, 2, 1
    if interface.id == "SD":
        streams = 1
    elif interface.id.startswith("3G-B"):
        parts, streams = 2, 4
        division = "two pictures" if interface.id.endswith("streams") else "lines" if _fast(fmt) else "links"
        pictures = 2 if division == "lines" else 1
    elif sub is not None:
        parts, division = 4, "square" if interface.id.endswith("square") else "pairs"
        streams = 2 if interface.links == 4 else 8
    first = _PAYLOAD_FIRST[interface.id, raster.lines]
    return Transport(
        interface=interface,
        raster=raster,
        samples=samples,
        width=width,
        height=height,
        mapping=mapping,
        parts=parts,
        division=division,
        payload_first=first,
        streams=streams,
        pictures=pictures,
    )
