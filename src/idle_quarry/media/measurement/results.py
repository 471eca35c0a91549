"""What was measured in a clip, as one value."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any


@dataclass(frozen=True)
class TimecodeBreak:
    """A frame whose own timecode does not follow from the one before."""

    frame: int
    expected: str
    found: str


@dataclass(frozen=True)
class ClipChange:
    """Where a clip becomes another: the first frame seen that differs, in what ("raster", "bit depth", "colour"),
    and how.

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
class Measurement:
    """Everything measured in a clip; picture parts are None where there is no picture that could be read.

    `stamped_rate` is frames a second by the pictures' time stamps.
    """

    fields: Fields | None
    active: ActivePicture | None
    levels: LevelsMeasurement | None
    sound: tuple[SoundStreamMeasurement | None, ...] = ()
    stamped_rate: Fraction | None = None
    timecode_breaks: tuple[TimecodeBreak, ...] = ()
    frames_examined: int = 0
    damaged: int = 0
    variable: VariableRate | None = None
    changes: tuple[ClipChange, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """Return the measurements under the keys of the command line's contract.

        Sound alone has undetermined fields.
        """
        fields = self.fields or Fields("undetermined", None, None, None, 0.0, 0.0)
        document: dict[str, Any] = {
            "scan": fields.scan,
            "field_order": fields.field_order,
            "cadence": fields.cadence,
            "true_rate": _ratio(fields.true_rate),
            "repeated_frames": round(fields.repeated_frames, 4),
            "active_picture": None,
            "luma": None,
            "frames_examined": self.frames_examined,
            "confidence": round(fields.confidence, 3),
            "stretches": [
                {
                    "start": s.start,
                    "stop": s.stop,
                    "scan": s.scan,
                    "field_order": s.field_order,
                    "cadence": s.cadence,
                }
                for s in fields.stretches
            ],
            "cadence_breaks": list(fields.breaks),
            "damaged_frames": self.damaged,
            "stamped_rate": _ratio(self.stamped_rate),
            "variable_rate": (
                self.variable
                and {
                    "slowest": round(self.variable.slowest, 3),
                    "fastest": round(self.variable.fastest, 3),
                    "mean": round(self.variable.mean, 3),
                    "fixed": _ratio(self.variable.fixed),
                    "repeated_a_minute": round(self.variable.repeated_a_minute, 1),
                    "dropped_a_minute": round(self.variable.dropped_a_minute, 1),
                }
            ),
            "changes": [vars(change) for change in self.changes],
            "timecode_breaks": [
                {"frame": b.frame, "expected": b.expected, "found": b.found} for b in self.timecode_breaks
            ],
        }
        if self.active is not None:
            a = self.active
            document["active_picture"] = {"x": a.x, "y": a.y, "width": a.width, "height": a.height}
            document["half_line"] = a.half_line
        if self.levels is not None:
            luma = self.levels.luma
            document["luma"] = {
                "min": luma.minimum,
                "max": luma.maximum,
                "below_black": round(luma.below_black, 6),
                "above_white": round(luma.above_white, 6),
            }
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
            document["sound"] = [None if measurement is None else _sound(measurement) for measurement in self.sound]
        return document


def _sound(measurement: SoundStreamMeasurement) -> dict[str, Any]:
    return {
        "sample_rate": measurement.sample_rate,
        "seconds": round(measurement.seconds, 3),
        "loudness_lufs": measurement.loudness_lufs,
        "loudness_range_lu": measurement.range_lu,
        "true_peak_dbtp": measurement.true_peak_dbtp,
        "identical": [list(pair) for pair in measurement.identical],
        "inverted": [list(pair) for pair in measurement.inverted],
        "channels": [
            {
                "peak_dbfs": c.peak_dbfs,
                "rms_dbfs": c.rms_dbfs,
                "silent": c.silent,
                "tone": (
                    None
                    if c.tone is None
                    else {
                        "frequency_hz": c.tone.frequency_hz,
                        "level_dbfs": c.tone.level_dbfs,
                        "line_up": c.tone.line_up,
                    }
                ),
            }
            for c in measurement.channels
        ],
    }


def _ratio(value: Fraction | None) -> str | None:
    return None if value is None else f"{value.numerator}/{value.denominator}"


@dataclass(frozen=True)
class Stretch:
    """Frames `start` to `stop` (half open, as far as they were examined) that are of one structure."""

    start: int
    stop: int
    scan: str
    field_order: str | None
    cadence: str | None


@dataclass(frozen=True)
class Fields:
    """What fields a clip has. `true_rate` counts moments in time a second.

    `marks` are (frame, pattern) of each pair.
    """

    scan: str
    field_order: str | None
    cadence: str | None
    true_rate: Fraction | None
    repeated_frames: float
    confidence: float
    stretches: tuple[Stretch, ...] = ()
    breaks: tuple[int, ...] = ()
    marks: tuple[tuple[int, str], ...] = ()


@dataclass(frozen=True)
class LumaLevels:
    """Luma code values at `bits` bits: extremes, and the shares of samples below black and above white."""

    minimum: int
    maximum: int
    below_black: float
    above_white: float
    bits: int
    histogram: tuple[int, ...]  # 256 equal spans of the scale

    def share_below(self, code: int) -> float:
        """Return the share of samples below `code`, to the 256th of the scale."""
        span = max(1, (1 << self.bits) // 256)
        total = sum(self.histogram)
        return sum(self.histogram[: code // span]) / total if total else 0.0


@dataclass(frozen=True)
class LevelsMeasurement:
    """What the pictures' codes are."""

    luma: LumaLevels
    chroma_minimum: int | None
    chroma_maximum: int | None
    range: str | None
    outside_gamut: float | None
    significant_bits: int
    bars_matrix: str | None


@dataclass(frozen=True)
class ActivePicture:
    """The rectangle that holds picture, in samples and lines of the raster; `half_line` is "first", "last" or None."""

    x: int
    y: int
    width: int
    height: int
    half_line: str | None = None


@dataclass(frozen=True)
class Tone:
    """A steady sine: frequency in Hz, level of its peak in dBFS, and whose line-up that is."""

    frequency_hz: float
    level_dbfs: float
    line_up: str | None


@dataclass(frozen=True)
class ChannelMeasurement:
    """One channel: sample peak in dBFS (None for digital silence), and a tone where it has one."""

    peak_dbfs: float | None
    rms_dbfs: float | None
    silent: bool
    tone: Tone | None


@dataclass(frozen=True)
class SoundStreamMeasurement:
    """One sound stream. Pairs name channels from 1; loudness is None where it is too short or too quiet to have one."""

    sample_rate: int
    seconds: float
    channels: tuple[ChannelMeasurement, ...]
    identical: tuple[tuple[int, int], ...]
    inverted: tuple[tuple[int, int], ...]
    loudness_lufs: float | None
    range_lu: float | None
    true_peak_dbtp: float | None
    windows: int = 1  #: how many windows were heard; 1 is the whole

    def loudness_words(self) -> str:
        """Return loudness and true peak in words: as EBU R 128 has them where the whole was heard, else of how much."""
        loud = "too quiet or short for a loudness"
        if self.loudness_lufs is not None:
            loud = f"{self.loudness_lufs:.1f} LUFS".replace("-", "−")
        peak = (
            f", true peak {self.true_peak_dbtp:.1f} dBTP".replace("-", "−") if self.true_peak_dbtp is not None else ""
        )
        if self.windows > 1:
            return f"{loud}{peak}, of {self.windows} windows, {self.seconds:.0f} s of the clip, not of the whole"
        return f"{loud}{peak} (EBU R 128) over {self.seconds:.1f} s"

    def sentences(self) -> tuple[str, ...]:
        """Return what is worth saying, a sentence each."""
        lines = []
        silent = [n for n, channel in enumerate(self.channels, 1) if channel.silent]
        if silent and len(silent) == len(self.channels):
            lines.append("the sound is silent")
        elif silent:
            lines.append(f"silent: channel{'s' if len(silent) > 1 else ''} {_listed(silent)}")
        for one, other in self.identical:
            lines.append(f"channels {one} and {other} are identical: mono on two tracks")
        for one, other in self.inverted:
            lines.append(f"channels {one} and {other} are out of phase: together they cancel")
        tones: dict[tuple[int, float], list[int]] = {}
        for n, channel in enumerate(self.channels, 1):
            if channel.tone is not None:
                tones.setdefault((round(channel.tone.frequency_hz), round(channel.tone.level_dbfs, 1)), []).append(n)
        for (frequency, level), numbers in tones.items():
            named = next(
                c.tone.line_up for c in self.channels if c.tone is not None and round(c.tone.frequency_hz) == frequency
            )
            as_named = f", line-up by {named}" if named else ""
            where = f" on {_listed(numbers)}" if len(self.channels) > 1 else ""
            lines.append(f"steady tone of {frequency} Hz at {level:g} dBFS{where}{as_named}")
        return tuple(lines)


def _listed(numbers: list[int]) -> str:
    return ", ".join(str(n) for n in numbers)


@dataclass(frozen=True)
class Disagreement:
    """One declared property that the clip does not keep: `field` is a key of the declared properties."""

    field: str
    declared: Any
    measured: Any
    text: str
    grave: bool = True

    def to_json(self) -> dict[str, Any]:
        return {"field": self.field, "declared": self.declared, "measured": self.measured, "text": self.text}
