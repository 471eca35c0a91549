"""Voice chains: the processors a sound track goes through, in order, typed as one says them and made with FFmpeg's
audio filters.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from idle_quarry.errors import NotUnderstood

Does = Literal["high-pass", "equaliser", "compressor", "limiter", "gain"]


class Processor(BaseModel):
    """One processor. Which figures it has, its kind says (`KINDS`): Hz, dB, a quality, a ratio to one, milliseconds."""

    model_config = ConfigDict(defer_build=True, frozen=True, extra="forbid")

    does: Does
    hz: Annotated[float, Field(ge=10, le=24000)] | None = None
    db: Annotated[float, Field(ge=-60, le=24)] | None = None
    q: Annotated[float, Field(ge=0.1, le=20)] | None = None
    ratio: Annotated[float, Field(ge=1, le=20)] | None = None
    attack_ms: Annotated[float, Field(ge=0.01, le=2000)] | None = None
    release_ms: Annotated[float, Field(ge=0.01, le=9000)] | None = None

    @model_validator(mode="after")
    def _figures(self) -> Processor:
        wanted = set(KINDS[self.does].figures)
        there = {
            name for name in ("hz", "db", "q", "ratio", "attack_ms", "release_ms") if getattr(self, name) is not None
        }
        if there != wanted:
            raise ValueError(f"a {self.does} has {', '.join(KINDS[self.does].figures)}")
        return self


@dataclass(frozen=True)
class ProcessorKind:
    """A kind of processor: its figures in order, how it is typed, an example, and FFmpeg's filter for it."""

    figures: tuple[str, ...]
    typed: str
    example: str
    filtered: Callable[[Processor], str]


_NUMBER = r"([+-]?\d{1,5}(?:\.\d{1,3})?)"


def _amplitude(db: float | None) -> str:
    return f"{10 ** ((db or 0) / 20):.6f}"


KINDS: dict[str, ProcessorKind] = {
    "high-pass": ProcessorKind(("hz",), rf"{_NUMBER}\s*Hz", "high-pass 80 Hz", lambda p: f"highpass=f={p.hz:g}:p=2"),
    "equaliser": ProcessorKind(
        ("hz", "db", "q"),
        rf"{_NUMBER}\s*Hz\s+{_NUMBER}\s*dB\s+Q\s*{_NUMBER}",
        "equaliser 3000 Hz +2 dB Q 1",
        lambda p: f"equalizer=f={p.hz:g}:t=q:w={p.q:g}:g={p.db:g}",
    ),
    "compressor": ProcessorKind(
        ("db", "ratio", "attack_ms", "release_ms"),
        rf"{_NUMBER}\s*dB\s+{_NUMBER}\s*:\s*1\s+{_NUMBER}\s*ms\s+{_NUMBER}\s*ms",
        "compressor -18 dB 3:1 10 ms 120 ms",
        lambda p: (
            f"acompressor=threshold={_amplitude(p.db)}:ratio={p.ratio:g}:attack={p.attack_ms:g}:release={p.release_ms:g}:knee=1"
        ),
    ),
    "limiter": ProcessorKind(
        ("db",),
        rf"{_NUMBER}\s*dB",
        "limiter -1 dB",
        lambda p: f"alimiter=limit={_amplitude(p.db)}:level=disabled:latency=1",
    ),
    "gain": ProcessorKind(("db",), rf"{_NUMBER}\s*dB", "gain +3 dB", lambda p: f"volume={p.db:g}dB"),
}


def voice_words(chain: Sequence[Processor]) -> str:
    """Return a chain as it is typed: "high-pass 80 Hz; compressor −18 dB 3:1 10 ms 120 ms"."""
    texts = []
    for p in chain:
        parts = {
            "hz": f"{p.hz:g} Hz" if p.hz is not None else "",
            "db": f"{p.db:+g} dB" if p.does in ("equaliser", "gain") else f"{p.db:g} dB" if p.db is not None else "",
            "q": f"Q {p.q:g}" if p.q is not None else "",
            "ratio": f"{p.ratio:g}:1" if p.ratio is not None else "",
            "attack_ms": f"{p.attack_ms:g} ms" if p.attack_ms is not None else "",
            "release_ms": f"{p.release_ms:g} ms" if p.release_ms is not None else "",
        }
        texts.append(
            " ".join([p.does, *(parts[name] for name in KINDS[p.does].figures)])
            .replace("-", "−")
            .replace("high−pass", "high-pass")
        )
    return "; ".join(texts)


def voice_from(text: str) -> tuple[Processor, ...]:
    """Return the chain that is typed, with semicolons between; none for an empty text. Raises `NotUnderstood`."""
    processors = []
    for part in text.replace("−", "-").split(";"):
        cleaned = " ".join(part.split())
        if not cleaned or cleaned.lower() == "none":
            continue
        does = next((kind for kind in KINDS if cleaned.lower().startswith(kind)), None)
        if does is None:
            raise NotUnderstood("no processor", subject=repr(cleaned[:40]), remedy="say " + ", ".join(KINDS))
        match = re.fullmatch(KINDS[does].typed, cleaned[len(does) :].strip(), re.IGNORECASE)
        if match is None:
            raise NotUnderstood(
                f"a {does} is typed otherwise", subject=repr(cleaned[:40]), remedy=f"as in {KINDS[does].example}"
            )
        values: dict[str, Any] = dict(zip(KINDS[does].figures, map(float, match.groups()), strict=True))
        try:
            processors.append(Processor(does=does, **values))  # type: ignore[arg-type]
        except ValueError as error:
            raise NotUnderstood(
                "a figure is out of range", subject=repr(cleaned[:40]), remedy=f"as in {KINDS[does].example}"
            ) from error
    return tuple(processors)


def ffmpeg_filters(chain: Sequence[Processor]) -> str:
    """Return a chain as FFmpeg's audio filters, in order; "anull" for none."""
    return ",".join(KINDS[p.does].filtered(p) for p in chain) or "anull"
