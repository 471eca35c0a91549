"""Digital lines of the serial interfaces: which of them hold the picture, and which what travels beside it."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib.resources import files
from typing import Any

#: First and last line, both held.
Span = tuple[int, int]


@dataclass(frozen=True)
class LineRaster:
    """The lines of a frame as a standard numbers them, from 1.

    `active` are the spans without vertical blanking, one a field; `f` the lines at which F turns 0 and 1. The other
    lines carry payload identifiers (ST 352), timecode (ST 12-2: LTC, VITC of field 1 and 2), active format (ST 2016-3),
    sound control (ST 299-1), none of the sound (RP 168), and in SD the error data of RP 165 with what they cover.
    """

    id: str
    standard: str
    lines: int
    scan: str
    active: tuple[Span, ...]
    f: tuple[int, ...]
    payload: tuple[int, ...]
    timecode: tuple[int, ...]
    active_format: tuple[int, ...]
    sound_control: tuple[int, ...]
    switch: tuple[int, ...]
    edh: tuple[int, ...] = ()
    edh_active: tuple[Span, ...] = ()
    edh_full: tuple[Span, ...] = ()

    @property
    def of_sd(self) -> bool:
        return self.lines in (525, 625)

    def flags(self, line: int) -> tuple[int, int]:
        """Return F and V of a line: 1 in field 2, 1 in vertical blanking."""
        return self.all_flags[line - 1]

    @cached_property
    def all_flags(self) -> tuple[tuple[int, int], ...]:
        """F and V of each line, from line 1 on."""
        return tuple(self._flags(line + 1) for line in range(self.lines))

    def _flags(self, line: int) -> tuple[int, int]:
        second = 0
        if self.f:
            first_of_0, first_of_1 = self.f
            second = 0 if first_of_0 <= line < first_of_1 else 1
        return second, 0 if any(first <= line <= last for first, last in self.active) else 1

    def picture_lines(self, height: int) -> tuple[tuple[int, int], ...]:
        """Return for each row of a picture of `height` lines the line that carries it, with its field (0 or 1), top
        first.

        Of 525 lines the upper row of a pair lies in field 2. A picture of 480 leaves away four lines above and two
        below of 486 (RP 202).
        """
        if len(self.active) == 1:
            first = self.active[0][0]
            return tuple((first + row, 0) for row in range(height))
        if self.lines == 525:
            skipped = (486 - height) * 2 // 3 // 2  # of 480: two of each field above, one below
            upper, lower = 283 + skipped, 21 + skipped
            return tuple((upper + row // 2, 1) if row % 2 == 0 else (lower + row // 2, 0) for row in range(height))
        (upper, _), (lower, _) = self.active
        return tuple((upper + row // 2, 0) if row % 2 == 0 else (lower + row // 2, 1) for row in range(height))


def _held(value: Any) -> Any:
    return tuple(_held(item) for item in value) if isinstance(value, list) else value


@lru_cache(maxsize=1)
def line_rasters() -> dict[str, LineRaster]:
    """Return the rasters by id."""
    text = files("idle_quarry.line").joinpath("data/rasters.toml").read_text(encoding="utf-8")
    results = [{"f": (), **{k: _held(v) for k, v in load.items()}} for load in tomllib.loads(text)["raster"]]
    return {data["id"]: LineRaster(**data) for data in results}
