"""Codecs: what each can hold, how much data it makes, how it is encoded; and a house's own variant of one."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from idle_quarry.path.entries.entry import Entry, EntryPart
from idle_quarry.path.texts import Id


class CodecLimits(BaseModel):
    """What a codec can hold."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    rasters: Literal["any"] | tuple[tuple[int, int], ...]
    least: int = 16
    step: int = 1
    most: int
    rates: Literal["any"] | tuple[str, ...]
    scans: tuple[str, ...]
    bit_depth: int
    samplings: tuple[str, ...]
    fast_only: int | None = None  #: above 30 frames a second only with this many lines
    slow_only: int | None = None  #: up to 30 frames a second only with this many lines
    field_order: str | None = None


class DataRate(BaseModel):
    """How much data a codec makes, by a named model of `codecs.toml`."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    model: Literal[
        "macroblocks", "vc3", "vc3-hr", "bits-per-s", "frame-bytes", "avci", "packed", "share", "per-pixel", "table"
    ]
    bits: tuple[tuple[int, int], ...] | float | None = None
    bytes: dict[str, int] | None = None
    numerator: int | None = None
    mbps: float | None = None
    bytes_25: int | None = None
    bytes_30: int | None = None
    packing: Literal["v210", "dpx10", "exr16"] | None = None
    share: float | None = None
    sampling: str | None = None
    table: dict[str, float] | None = None  #: Mb/s by "1920x1080 25"


class Encode(BaseModel):
    """How FFmpeg's libraries encode it: encoder, options, pixel formats by "bits sampling"."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    encoder: str
    options: dict[str, str]
    pixels: dict[str, str]
    rates: tuple[str, ...] | None = None
    blanking: dict[str, int] = {}  #: lines of blanking that are coded above the picture, by raster
    muxer: str = ""  #: FFmpeg's muxer, where the container has one of its own for this codec


class Coded(BaseModel):
    """How what a codec made is known again: what decoders call it and its profile ("": none), and whether pictures
    are coded by themselves.

    `intra` is None where the decoder has no other kind; `standalone` says that a packet may be written as often as its
    picture is shown.
    """

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    decoder: str
    profile: str = ""
    intra: bool | None = None
    standalone: bool = False


class Codec(Entry):
    """A codec and profile: what it holds, what it makes, how it is encoded and known again."""

    entry: Literal["codec"] = "codec"
    standard: str
    profile: str
    quality: Literal["lossless", "intermediate", "proxy", "delivery"]
    containers: tuple[str, ...]
    holds: CodecLimits
    rate: DataRate
    encode: Encode
    coded: Coded
    varies: tuple[Literal["mbps", "gop"], ...] = ()  #: what a variant of it may set

    @property
    def lossless(self) -> bool:
        return self.quality == "lossless"

    @property
    def one_picture_a_file(self) -> bool:
        return self.containers[0] in ("dpx", "exr")


class RateRow(EntryPart):
    """What a variant makes of one raster at one frame rate."""

    raster: Annotated[str, Field(pattern=r"^\d{2,5}x\d{2,5}$")]
    rate: Annotated[str, Field(pattern=r"^\d{1,3}(\.\d{1,3})?$")]
    mbps: Annotated[float, Field(gt=0, le=100_000)]


class CodecVariant(Entry):
    """A house's own variant of a codec: another data rate, another length of its groups, one of its containers."""

    entry: Literal["codec"] = "codec"
    base: Id  #: the codec it is a variant of
    mbps: Annotated[float, Field(ge=0.1, le=10_000)] | None = None
    gop: Annotated[int, Field(ge=1, le=600)] | None = None  #: pictures in a group; 1: each stands alone
    containers: Annotated[
        tuple[str, ...], Field(max_length=8)
    ] = ()  #: those of the codec that are wanted; none for all
    table: Annotated[tuple[RateRow, ...], Field(max_length=200)] = ()  #: measured or printed rates, before any model

    def codec(self, base: Codec) -> Codec:
        """Return the codec that this is, made of the one it varies. Raises `ValueError` for what cannot be varied."""
        for what, value in (("mbps", self.mbps), ("gop", self.gop)):
            if value is not None and what not in base.varies:
                raise ValueError(f"{base.name} has no {'data rate' if what == 'mbps' else 'group'} to choose")
        if unknown := [container for container in self.containers if container not in base.containers]:
            raise ValueError(f"{base.name} is not kept in {unknown[0][:20]!r}; it is in {', '.join(base.containers)}")
        options, rate = dict(base.encode.options), base.rate
        if self.mbps is not None:
            bits = str(round(self.mbps * 1e6))
            options = {key: value for key, value in options.items() if key not in ("crf", "qmin")} | {"b": bits}
            options |= {key: bits for key in ("minrate", "maxrate") if key in base.encode.options}
            rate = DataRate(model="bits-per-s", mbps=self.mbps)
        if self.gop is not None:
            options["g"] = str(self.gop if self.gop > 1 or "bf" not in options else 0)
            options |= {"bf": "0"} if self.gop < 3 and "bf" in options else {}
        if self.table:
            rate = DataRate(model="table", table={f"{row.raster} {row.rate}": row.mbps for row in self.table})
        results = {
            "id": self.id,
            "uid": "",
            "name": self.name,
            "source": self.source or f"the house's own variant of {base.name}",
            "containers": self.containers or base.containers,
            "rate": rate,
            "varies": (),
            "encode": base.encode.model_copy(update={"options": options}),
        }
        return base.model_copy(update=results)
