"""What a piece is made of, as one value: the same recipe gives the same pictures, wherever and whenever it is
rendered.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import replace
from fractions import Fraction
from functools import cached_property, lru_cache
from typing import Any

from pydantic import ConfigDict, TypeAdapter
from pydantic.dataclasses import dataclass

from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import Codec
from idle_quarry.path.template_parts import Format

#: Counts up whenever a conversion gives other pictures: what an earlier one rendered is rendered again.
MAKING = 1

_CONFIG = ConfigDict(arbitrary_types_allowed=True)


@dataclass(frozen=True, config=_CONFIG)
class ClipFrames:
    """Frames of a clip as its class converts them: frame n of the piece is frame ⌊first + n · step⌋ of the whole
    converted clip.

    `path` is where the clip lies and `content` what tells it from others; `taken_as` the format that it is, out of
    which `cadence` is taken. `shift` is how far the picture is moved on the canvas, shares of it across and down. With
    `whole` pictures are made whole, for frames that are held, repeated or go backwards: fields would go to and fro.
    """

    path: str
    content: str
    taken_as: Format
    policy: Policy
    first: Fraction
    step: Fraction = Fraction(1)
    cadence: str = ""
    shift: tuple[Fraction, Fraction] = (Fraction(0), Fraction(0))
    whole: bool = False

    def index(self, number: int) -> int:
        """Return which frame of the converted clip frame `number` of the piece is."""
        return int((self.first + number * self.step) // 1)

    def later(self, frames: int) -> ClipFrames:
        """Return what is taken from so many frames of the piece later on."""
        return replace(self, first=self.first + frames * self.step)


@dataclass(frozen=True, config=_CONFIG)
class Recipe:
    """A piece of `frames` pictures of `format` in a codec: black where nothing is `shown`.

    In a change `over` comes over it: its share is `share` at the first frame and rises by `rise` with each.
    """

    format: Format
    codec: Codec
    frames: int
    shown: ClipFrames | None
    over: ClipFrames | None = None
    share: Fraction = Fraction(0)
    rise: Fraction = Fraction(0)

    @cached_property
    def identity(self) -> str:
        """What tells this piece from others, 64 hex digits: all that its pictures depend on, and not where its
        clips lie.
        """
        data = self._data()
        for part in ("shown", "over"):
            if data[part]:
                del data[part]["path"]
        return _digest(data)

    @cached_property
    def plan(self) -> str:
        """What tells its conversion and coding from others: pieces of one plan take as long for each frame."""
        data = self._data()
        how = [
            {key: data[part][key] for key in ("taken_as", "policy", "cadence", "whole")} if data[part] else None
            for part in ("shown", "over")
        ]
        return _digest([data["format"], data["codec"], how])

    def _data(self) -> dict[str, Any]:
        parts = _parts().dump_python((self.format, self.shown, self.over, self.share, self.rise), mode="json")
        names = "format", "shown", "over", "share", "rise"
        return dict(zip(names, parts, strict=True)) | {"codec": _coded(self.codec), "frames": self.frames}


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[Recipe]:
    return TypeAdapter(Recipe)


def to_json(recipe: Recipe) -> dict[str, Any]:
    """Return a recipe as data that JSON can keep."""
    data: dict[str, Any] = _adapter().dump_python(recipe, mode="json")
    return data


def from_json(data: Any) -> Recipe:
    """Return the recipe of data. Raises `ValueError` for what is none."""
    return _adapter().validate_python(data)


@lru_cache(maxsize=1)
def _parts() -> TypeAdapter[Any]:
    return TypeAdapter(tuple[Format, ClipFrames | None, ClipFrames | None, Fraction, Fraction])


def _digest(data: Any) -> str:
    text = json.dumps([MAKING, data], sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


#: What codecs' pictures depend on, by their ids, which follow from their content or ship with the program.
_CODED: dict[str, dict[str, Any]] = {}


def _coded(codec: Codec) -> dict[str, Any]:
    """Return what a codec's pictures depend on: one under another name is the same."""
    if codec.id not in _CODED:
        data = codec.model_dump(mode="json", include={"encode", "rate"})
        _CODED[codec.id] = data | {"container": codec.containers[0]}
    return _CODED[codec.id]
