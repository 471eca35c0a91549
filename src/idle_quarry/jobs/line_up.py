"""The line-up clip of a job: bars of the working standard, tone, ident, in the intermediate codec."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from idle_quarry.jobs.folder_plan import line_up_start
from idle_quarry.media import inspect
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.path.findings.sound import db
from idle_quarry.path.registry import codecs, sound_layouts
from idle_quarry.path.template import Template
from idle_quarry.picture.patterns.bars import ident_box, pattern, rgb_picture
from idle_quarry.picture.patterns.ident import with_ident
from idle_quarry.signal.timecode import counted_frames
from idle_quarry.signal.words import format_words
from idle_quarry.sound.tone import LINE_UP_HZ, line_up_tone

if TYPE_CHECKING:  # a job is checked without writing anything
    from idle_quarry.media.coding.writing import Progress

#: A run of files is kept short: every picture of it is a whole file of its own.
_MOST_FILES = 25


@dataclass(frozen=True)
class WrittenLineUp:
    """What was written, in words: format, frames, start, bars, codec, level; and how what was read back differs."""

    format: str
    frames: int
    start: str
    bars: str
    differs: tuple[str, ...]

    codec: str
    level: str
    sound: str

    def to_json(self) -> dict[str, Any]:
        return {**vars(self), "differs": list(self.differs)}


def wanted_line_up(template: Template) -> dict[str, Any]:
    """Return what a template's line-up clip is, under the names of `WrittenLineUp`; two that are equal are one clip."""
    fmt, codec, sound = template.intermediate_format, codecs()[template.intermediate.codec], template.sound
    carried = encoder_pixels(codec, fmt).format
    if codec.id == "exr-half":
        carried = carried.with_encoding(transfer="linear")
    frames = counted_frames(template.timecode.line_up_length_s, fmt.rate)
    return {
        "format": format_words(carried, fields=True),
        "frames": min(frames, _MOST_FILES) if codec.one_picture_a_file else frames,
        "start": str(line_up_start(template)),
        "bars": pattern(fmt, template.line_up).name,
        "codec": codec.name,
        "level": f"{db(sound.line_up_dbfs)} dBFS",
        "sound": f"{sound_layouts()[sound.layout].name.lower()}, {sound.sample_rate} Hz, {sound.bit_depth} bit",
    }


def write_line_up(template: Template, title: str, path: Path, progress: Progress | None = None) -> WrittenLineUp:
    """Encode the line-up clip to `path` and read it back. Raises `MediaError`."""
    from idle_quarry.media.coding.writing import encode_still

    fmt = template.intermediate_format
    codec = codecs()[template.intermediate.codec]
    start = line_up_start(template)
    wanted = wanted_line_up(template)
    frames = int(wanted["frames"])
    plan = template.sound
    bars = pattern(fmt, template.line_up)
    ident = (
        title,
        f"{format_words(fmt, fields=True)}  ·  {codec.name}",
        f"{start}  ·  {LINE_UP_HZ // 1000} kHz at {db(plan.line_up_dbfs)} dBFS  ·  left interrupted",
    )
    picture = with_ident(rgb_picture(fmt, template.line_up), ident, ident_box(fmt, template.line_up), bars.ident_level)
    tone = line_up_tone(plan.line_up_dbfs, float(frames / fmt.rate), plan.sample_rate, sound_layouts()[plan.layout])
    carried = encode_still(path, codec, fmt, picture, frames, start, tone, plan.sample_rate, plan.bit_depth, progress)
    return WrittenLineUp(**wanted, differs=_differences(path, carried, start))


def _differences(path: Path, carried: Any, start: Any) -> tuple[str, ...]:
    """Return in words where the written file declares something else than was meant."""
    clip = inspect(path)
    texts = []
    if clip.format is not None:
        for what, meant, value in (
            ("raster", carried.raster.size_text, clip.format.raster.size_text),
            ("rate", carried.rate, clip.format.rate),
            ("scan", carried.scan if carried.scan != "psf" else "interlaced", clip.format.scan),
            ("primaries", carried.encoding.primaries, clip.format.encoding.primaries),
            ("transfer", carried.encoding.transfer, clip.format.encoding.transfer),
        ):
            if meant != value:
                texts.append(f"{what}: {meant} was meant, the file says {value}")
    if clip.declared.timecode is not None and clip.declared.timecode != str(start):
        texts.append(f"timecode: {start} was meant, the file says {clip.declared.timecode}")
    return tuple(texts)
