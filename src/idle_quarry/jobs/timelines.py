"""Timelines of a job, through OpenTimelineIO: one for each canvas, with its tracks, rate and start."""

from __future__ import annotations

from pathlib import Path

import opentimelineio as otio

from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import TimelinePlan
from idle_quarry.path.voice import ffmpeg_filters, voice_words
from idle_quarry.signal.timecode import start_timecode
from idle_quarry.signal.words import described_format

#: The name under which this program's facts stand in a timeline's metadata.
KEY = "idle_quarry"


def timeline_of(template: Template, timeline: TimelinePlan) -> otio.schema.Timeline:
    """Return an empty timeline with the template's tracks, from the bottom up, and its global start time.

    OpenTimelineIO's times are pairs of doubles; the exact rate stands in the metadata as "n/d".
    """
    fmt = template.working.format
    start = start_timecode(template.timecode.start, template.timecode.drop, fmt.rate)
    canvas = template.canvas(timeline)
    result = otio.schema.Timeline(
        name=timeline.name, global_start_time=otio.opentime.RationalTime(float(start.frames), float(fmt.rate))
    )
    result.metadata[KEY] = {
        "template": template.name,
        "format": described_format(fmt),
        "rate": f"{fmt.rate.numerator}/{fmt.rate.denominator}",
        "start": str(start),
        "drop_frame": start.drop,
        "canvas": {
            "width": canvas.width,
            "height": canvas.height,
            "sample_aspect": f"{canvas.pixel_aspect.numerator}/{canvas.pixel_aspect.denominator}",
            "fit": timeline.fit,
        },
        "title_language": template.title_language,
    }
    for track in timeline.tracks:
        kind = otio.schema.TrackKind.Video if track.kind == "video" else otio.schema.TrackKind.Audio
        item = otio.schema.Track(name=track.name, kind=kind)
        item.metadata[KEY] = {"id": track.id, "role": track.role, "colour": track.colour, "channels": track.channels}
        if track.voice:
            item.metadata[KEY] |= {"voice": voice_words(track.voice), "ffmpeg": ffmpeg_filters(track.voice)}
        result.tracks.append(item)
    return result


def write_timelines(template: Template, folder: Path) -> list[Path]:
    """Write each timeline of a template as an .otio file into `folder`; return the files."""
    written = []
    for timeline in template.timelines:
        path = folder / f"{timeline.name}.otio"
        otio.adapters.write_to_file(timeline_of(template, timeline), str(path), adapter_name="otio_json")
        written.append(path)
    return written
