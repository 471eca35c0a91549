"""What there is to choose from: what ships with the program, read from its data, and what templates carry of a
house's own.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Mapping
from functools import lru_cache
from importlib.resources import files
from typing import Any, Generic, Literal, TypeVar, cast

from pydantic import BaseModel, ConfigDict, Field

from idle_quarry.path.entries import (
    Codec,
    CodecVariant,
    DeliverySpec,
    Door,
    Entry,
    KeptFormat,
    Monitor,
    NamingRule,
    ProgrammeLayout,
    SoundLayout,
)
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.formats import SignalFormat

__all__ = [
    "Codec",
    "DeliverySpec",
    "Door",
    "EntryTable",
    "Monitor",
    "Territory",
    "codecs",
    "deliveries",
    "formats_kept",
    "house_entry",
    "known",
    "line_up_pictures",
    "monitors",
    "naming_rules",
    "programme_layouts",
    "sound_layouts",
    "take_in",
    "territories",
]

_E = TypeVar("_E", bound=Entry)


class EntryTable(Mapping[str, _E], Generic[_E]):
    """The entries of a kind by id: what ships is listed; what a house has is found by its id, but listed nowhere.

    An id of a house's entry follows from its content, so that what is found by it is always the same.
    """

    def __init__(self, shipped: Mapping[str, _E]) -> None:
        self._shipped = shipped
        self._taken_in: dict[str, _E] = {}

    def __getitem__(self, ident: str) -> _E:
        result = self._shipped.get(ident) or self._taken_in.get(ident)
        if result is None:
            raise KeyError(ident)
        return result

    def __iter__(self) -> Iterator[str]:
        return iter(self._shipped)

    def __len__(self) -> int:
        return len(self._shipped)

    def take_in(self, entry: _E) -> None:
        """Let an entry of a house be found by its id."""
        self._taken_in[entry.id] = entry


class Territory(BaseModel):
    """What a part of the world takes for granted."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    id: Literal["50 Hz", "59.94 Hz", "cinema", "web"]
    name: str
    source: str
    rates: tuple[str, ...]
    start: str
    drop: bool
    line_up_dbfs: float
    loudness: str
    called: str = ""  #: what people there call its television: PAL, NTSC
    loudness_lufs: float | None = None  #: aimed at where no delivery says it; none in cinema
    true_peak_dbtp: float | None = None

    @property
    def title(self) -> str:
        """Its name with what people call it: "50 Hz countries (PAL)"."""
        return f"{self.name} ({self.called})" if self.called else self.name


class LineUpPicture(BaseModel):
    """A line-up picture that can be chosen, and what it is laid out for."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid", populate_by_name=True)

    id: str
    name: str
    source: str
    light: Literal["any", "SDR", "HDR"] = Field(alias="for")
    lines: tuple[int, ...] = ()

    def fits(self, fmt: SignalFormat) -> bool:
        """Return whether it is laid out for a format."""
        light = self.light == "any" or (self.light == "HDR") == is_hdr(fmt.encoding.transfer)
        return light and (not self.lines or fmt.raster.height in self.lines)


def _data(name: str) -> dict[str, Any]:
    return tomllib.loads(files("idle_quarry.path").joinpath(f"data/{name}.toml").read_text(encoding="utf-8"))


def _read(name: str, key: str, cls: type[_E]) -> EntryTable[_E]:
    entries = [cls.model_validate(entry) for entry in _data(name)[key]]
    return EntryTable({entry.id: entry for entry in entries})


@lru_cache(maxsize=1)
def codecs() -> EntryTable[Codec]:
    """Return every codec by id."""
    return _read("codecs", "codec", Codec)


@lru_cache(maxsize=1)
def monitors() -> EntryTable[Monitor]:
    """Return every monitor by id."""
    return _read("monitors", "monitor", Monitor)


@lru_cache(maxsize=1)
def deliveries() -> EntryTable[DeliverySpec]:
    """Return every standard delivery by id."""
    return _read("deliveries", "delivery", DeliverySpec)


@lru_cache(maxsize=1)
def sound_layouts() -> EntryTable[SoundLayout]:
    """Return every sound layout by id."""
    return _read("layouts", "sound", SoundLayout)


@lru_cache(maxsize=1)
def programme_layouts() -> EntryTable[ProgrammeLayout]:
    """Return every programme layout by id."""
    return _read("layouts", "programme", ProgrammeLayout)


@lru_cache(maxsize=1)
def naming_rules() -> EntryTable[NamingRule]:
    """Return every naming rule by id."""
    return _read("layouts", "naming", NamingRule)


@lru_cache(maxsize=1)
def formats_kept() -> EntryTable[KeptFormat]:
    """Return the formats that are kept by a name: none ships, the catalogue of standard ones stands for itself."""
    return EntryTable({})


@lru_cache(maxsize=1)
def line_up_pictures() -> dict[str, LineUpPicture]:
    """Return the line-up pictures that can be chosen, by id."""
    return {item["id"]: LineUpPicture.model_validate(item) for item in _data("lineups")["lineup"]}


@lru_cache(maxsize=1)
def territories() -> dict[str, Territory]:
    """Return every territory by id."""
    return {item["id"]: Territory.model_validate(item) for item in _data("territories")["territory"]}


def known(kind: str) -> EntryTable[Any]:
    """Return the entries of a kind (a word of `entries.KINDS`) by id."""
    of: dict[str, Any] = {
        "monitor": monitors,
        "delivery": deliveries,
        "codec": codecs,
        "format": formats_kept,
        "sound": sound_layouts,
        "programme": programme_layouts,
        "naming": naming_rules,
    }
    return cast("EntryTable[Any]", of[kind]())


#: The entries of houses by id, as they are kept: a codec's is the variant, where `codecs()` has the codec made of it.
_OF_HOUSES: dict[str, Entry] = {}


def take_in(entry: Entry) -> None:
    """Let an entry of a house be found by its id, here and among its kind.

    Raises `ValueError` where it stands on nothing.
    """
    if entry.id in _OF_HOUSES:
        return
    if isinstance(entry, CodecVariant):
        base = codecs().get(entry.base)
        if base is None or base.id not in list(codecs()):
            raise ValueError(f"{entry.name} varies a codec {entry.base!r} that is not known here")
        codecs().take_in(entry.codec(base))
    else:
        known(entry.entry).take_in(entry)
    _OF_HOUSES[entry.id] = entry


def house_entry(ident: str) -> Entry | None:
    """Return the entry of a house with an id, where it was taken in."""
    return _OF_HOUSES.get(ident)
