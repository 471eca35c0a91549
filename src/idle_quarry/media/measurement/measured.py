"""What was measured in a clip, as one value."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from idle_quarry.media.measurement.active import ActivePicture
from idle_quarry.media.measurement.fields import Fields
from idle_quarry.media.measurement.levels import LevelsFound
from idle_quarry.media.measurement.sound import SoundFound


@dataclass(frozen=True)
class TimecodeBreak:
    """A frame whose own timecode does not follow from the one before."""

    frame: int
    expected: str
    found: str


@dataclass(frozen=True)
class Change:
    """Where a clip becomes another: the first frame seen that differs, in what ("raster", "bit depth", "colour"), and how.

    Of a clip that is not examined whole it is known to lie between the window before and this frame.
    """

    frame: int
    what: str
    was: str
    becomes: str


@dataclass(frozen=True)
class VariableRate:
    """Pictures a second of a clip whose pictures come at no even pace, and what a fixed rate would do to them."""

    slowest: float
    fastest: float
    mean: float
    fixed: Fraction  #: the standard rate nearest to the mean
    repeated_a_minute: float
    dropped_a_minute: float

    @property
    def words(self) -> str:
        return f"{self.slowest:.3g} to {self.fastest:.3g} pictures/s, {self.mean:.4g} in the mean"


@dataclass(frozen=True)
class Measured:
    """Everything measured in a clip; picture parts are None where there is no picture that could be read.

    `stamped_rate` is frames a second by the pictures' time stamps.
    """

    fields: Fields | None
    active: ActivePicture | None
    levels: LevelsFound | None
    sound: tuple[SoundFound | None, ...] = ()
    stamped_rate: Fraction | None = None
    timecode_breaks: tuple[TimecodeBreak, ...] = ()
    frames_examined: int = 0
    damaged: int = 0
    variable: VariableRate | None = None
    changes: tuple[Change, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """Return the measurements under the keys of the command line's contract; sound alone has undetermined fields."""
        found = self.fields or Fields("undetermined", None, None, None, 0.0, 0.0)
        document: dict[str, Any] = {
            "scan": found.scan,
            "field_order": found.field_order,
            "cadence": found.cadence,
            "true_rate": _ratio(found.true_rate),
            "repeated_frames": round(found.repeated_frames, 4),
            "active_picture": None,
            "luma": None,
            "frames_examined": self.frames_examined,
            "confidence": round(found.confidence, 3),
            "stretches": [
                {
                    "start": s.start, "stop": s.stop, "scan": s.scan, "field_order": s.field_order, "cadence": s.cadence,
                }
                for s in found.stretches
            ],
            "cadence_breaks": list(found.breaks),
            "damaged_frames": self.damaged,
            "stamped_rate": _ratio(self.stamped_rate),
            "variable_rate": self.variable
            and {
                "slowest": round(self.variable.slowest, 3),
                "fastest": round(self.variable.fastest, 3),
                "mean": round(self.variable.mean, 3),
                "fixed": _ratio(self.variable.fixed),
                "repeated_a_minute": round(self.variable.repeated_a_minute, 1),
                "dropped_a_minute": round(self.variable.dropped_a_minute, 1),
            },
            "changes": [vars(change) for change in self.changes],
            "timecode_breaks": [
                {"frame": b.frame, "expected": b.expected, "found": b.found} for b in self.timecode_breaks
            ],
        }  # fmt: skip
        if self.active is not None:
            a = self.active
            document["active_picture"] = {"x": a.x, "y": a.y, "width": a.width, "height": a.height}
            document["half_line"] = a.half_line
        if self.levels is not None:
            luma = self.levels.luma
            document["luma"] = {
                "min": luma.minimum, "max": luma.maximum,
                "below_black": round(luma.below_black, 6), "above_white": round(luma.above_white, 6),
            }  # fmt: skip
            document["chroma"] = (
                None
                if self.levels.chroma_minimum is None
                else {"min": self.levels.chroma_minimum, "max": self.levels.chroma_maximum}
            )
            document["range"] = self.levels.range
            outside = self.levels.outside_gamut
            document["outside_gamut"] = None if outside is None else round(outside, 5)
            document["significant_bits"] = self.levels.significant_bits
            document["bars_matrix"] = self.levels.bars_matrix
        if self.sound:
            document["sound"] = [None if each is None else _sound(each) for each in self.sound]
        return document


def _sound(found: SoundFound) -> dict[str, Any]:
    return {
        "sample_rate": found.sample_rate,
        "seconds": round(found.seconds, 3),
        "loudness_lufs": found.loudness_lufs,
        "loudness_range_lu": found.range_lu,
        "true_peak_dbtp": found.true_peak_dbtp,
        "identical": [list(pair) for pair in found.identical],
        "inverted": [list(pair) for pair in found.inverted],
        "channels": [
            {
                "peak_dbfs": c.peak_dbfs,
                "rms_dbfs": c.rms_dbfs,
                "silent": c.silent,
                "tone": None
                if c.tone is None
                else {
                    "frequency_hz": c.tone.frequency_hz,
                    "level_dbfs": c.tone.level_dbfs,
                    "line_up": c.tone.line_up,
                },
            }
            for c in found.channels
        ],
    }


def _ratio(value: Fraction | None) -> str | None:
    return None if value is None else f"{value.numerator}/{value.denominator}"
