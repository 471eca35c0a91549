"""A monitor: what its inputs take, and how it behaves."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from idle_quarry.path.entries.entry import Entry, EntryPart
from idle_quarry.path.texts import Line, word_of
from idle_quarry.signal.colour import PRIMARIES, TRANSFERS
from idle_quarry.signal.formats import RANGES, SCANS
from idle_quarry.signal.interfaces import INTERFACES
from idle_quarry.signal.rates import NAMED_RATES

Side = Annotated[int, Field(ge=16, le=32768)]
Scan = Annotated[str, *word_of(SCANS, "scan")]
Rate = Annotated[str, *word_of(NAMED_RATES, "frame rate")]
Transfer = Annotated[str, *word_of(TRANSFERS, "transfer")]
Range = Annotated[str, *word_of(RANGES, "range")]
DEVICES = ("tube", "panel", "projector", "consumer screen")
PAYLOADS = ("heeded", "ignored", "needed")


class Door(EntryPart):
    """One kind of signal a monitor shows: of these lines, widths, scans, rates and transfers, over at most this
    interface.
    """

    lines: Annotated[tuple[Side, ...], Field(min_length=1, max_length=40)]
    widths: Annotated[tuple[Side, ...], Field(min_length=1, max_length=40)]
    scans: Annotated[tuple[Scan, ...], Field(min_length=1, max_length=3)]
    rates: Annotated[tuple[Rate, ...], Field(min_length=1, max_length=40)]
    transfers: Annotated[tuple[Transfer, ...], Field(min_length=1, max_length=20)] = ("bt709",)
    interface: Annotated[str, *word_of(INTERFACES, "interface")]
    mapping: Literal["any", "level A", "level B"] = "any"  #: of 3G, where it takes only one (ST 425-1)


class Monitor(Entry):
    """A monitor and what it shows."""

    entry: Literal["monitor"] = "monitor"
    kind: Line  #: what it is, in words
    device: Annotated[str, *word_of(DEVICES, "kind of screen")] = "panel"
    ranges: Annotated[tuple[Range, ...], Field(min_length=1, max_length=2)] = ("narrow",)
    accepts: Annotated[tuple[Door, ...], Field(min_length=1, max_length=60)]
    peak_cd_m2: Annotated[float, Field(gt=0, le=20000)] | None = None  #: the most light it gives
    black_cd_m2: Annotated[float, Field(ge=0, le=10)] | None = None  #: the least light it gives
    primaries: Annotated[str, *word_of(PRIMARIES, "set of primaries")] | None = None  #: whose colours it shows
    overscan: Annotated[float, Field(ge=0, le=20)] = 0.0  #: per cent of each side that the bezel or the tube hides
    payload: Annotated[str, *word_of(PAYLOADS, "way with a payload identifier")] = "heeded"  #: of ST 352
    two_eyes: bool = False  #: whether it shows two eyes
    tells_psf: bool = True  #: whether it tells PsF from interlaced pictures
