"""Codecs, monitors, deliveries and territories: read from the package's data, checked when read."""

from __future__ import annotations

import tomllib
from functools import cached_property, lru_cache
from importlib.resources import files
from typing import Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict

from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_from_words


class _Entry(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str
    name: str
    source: str


class Holds(BaseModel):
    """What a codec can hold."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    rasters: Literal["any"] | tuple[tuple[int, int], ...]
    least: int = 16
    step: int = 1
    most: int
    rates: Literal["any"] | tuple[str, ...]
    scans: tuple[str, ...]
    bit_depth: int
    samplings: tuple[str, ...]
    fast_only: int | None = None  #: above 30 frames a second only with this many lines
    field_order: str | None = None


class DataRate(BaseModel):
    """How much data a codec makes, by a named model of `codecs.toml`."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    model: Literal["macroblocks", "vc3", "vc3-hr", "bits-per-s", "frame-bytes", "avci", "packed", "share", "per-pixel"]
    bits: tuple[tuple[int, int], ...] | float | None = None
    bytes: dict[str, int] | None = None
    numerator: int | None = None
    mbps: float | None = None
    bytes_25: int | None = None
    bytes_30: int | None = None
    packing: Literal["v210", "dpx10", "exr16"] | None = None
    share: float | None = None
    sampling: str | None = None


class Encode(BaseModel):
    """How FFmpeg's libraries encode it: encoder, options, pixel formats by "bits sampling"."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    encoder: str
    options: dict[str, str]
    pixels: dict[str, str]
    rates: tuple[str, ...] | None = None
    blanking: dict[str, int] = {}  #: lines of blanking that are coded above the picture, by raster


class Codec(_Entry):
    """A codec and profile: what it holds, what it makes, and how it is encoded."""

    standard: str
    profile: str
    quality: Literal["lossless", "intermediate", "proxy", "delivery"]
    containers: tuple[str, ...]
    holds: Holds
    rate: DataRate
    encode: Encode

    @property
    def lossless(self) -> bool:
        return self.quality == "lossless"

    @property
    def one_picture_a_file(self) -> bool:
        return self.containers[0] in ("dpx", "exr")


class Door(BaseModel):
    """One kind of signal a monitor shows."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    lines: tuple[int, ...]
    widths: tuple[int, ...]
    scans: tuple[str, ...]
    rates: tuple[str, ...]
    transfers: tuple[str, ...]
    interface: str


class Monitor(_Entry):
    """A monitor and what it shows."""

    kind: str
    ranges: tuple[str, ...]
    accepts: tuple[Door, ...]


class DeliverySound(BaseModel):
    """What a delivery asks of sound; levels in dBFS, LUFS and dBTP."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    sample_rate: int
    bit_depth: Literal[16, 24, 32]
    line_up_dbfs: float
    layout: Literal["mono", "stereo", "5.1"]
    loudness_lufs: float | None = None
    true_peak_dbtp: float | None = None


class Delivery(_Entry):
    """A standard delivery."""

    territory: str
    format: str
    codec: str
    start: str
    drop: bool
    sound: DeliverySound
    follows_rate: bool = False

    @cached_property
    def signal(self) -> SignalFormat:
        return format_from_words(self.format)


class Territory(_Entry):
    """What a part of the world takes for granted."""

    id: Literal["50 Hz", "59.94 Hz", "cinema", "web"]
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


_E = TypeVar("_E", bound=_Entry)


def _read(name: str, key: str, kind: type[_E]) -> dict[str, _E]:
    data: dict[str, Any] = tomllib.loads(
        files("idle_quarry.path").joinpath(f"data/{name}.toml").read_text(encoding="utf-8")
    )
    entries = [kind.model_validate(entry) for entry in data[key]]
    return {entry.id: entry for entry in entries}


@lru_cache(maxsize=1)
def codecs() -> dict[str, Codec]:
    """Return every codec by id."""
    return _read("codecs", "codec", Codec)


@lru_cache(maxsize=1)
def monitors() -> dict[str, Monitor]:
    """Return every monitor by id."""
    return _read("monitors", "monitor", Monitor)


@lru_cache(maxsize=1)
def deliveries() -> dict[str, Delivery]:
    """Return every standard delivery by id."""
    return _read("deliveries", "delivery", Delivery)


@lru_cache(maxsize=1)
def territories() -> dict[str, Territory]:
    """Return every territory by id."""
    return _read("territories", "territory", Territory)
