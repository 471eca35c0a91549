"""A take held against what was recorded: what its file declares, looked at like any other clip."""

from __future__ import annotations

from idle_quarry.line.devices.recorder import Take
from idle_quarry.media.clip import Clip
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.path.registry import codecs
from idle_quarry.signal.words import format_words


def contradictions(take: Take, clip: Clip) -> tuple[str, ...]:
    """Return, a clause each, where a take's file is not what was recorded; empty where it is."""
    declared, fmt = clip.declared, take.format
    held = encoder_pixels(codecs()[take.codec], fmt).format
    results = []
    if (declared.width, declared.height) != (fmt.raster.width, fmt.raster.height):
        results.append(f"it is {declared.width} × {declared.height}")
    if declared.rate != fmt.rate:
        results.append(f"its rate is {declared.rate}")
    order = declared.field_order if declared.scan == "interlaced" else None
    if order != (fmt.field_order if fmt.scan == "interlaced" else None):
        results.append(f"its fields are declared {order or 'progressive'}")
    if (declared.bit_depth, declared.sampling) != (held.encoding.bit_depth, held.encoding.sampling):
        results.append(f"it holds {declared.sampling} of {declared.bit_depth} bits")
    if declared.frames is not None and declared.frames != take.frames:
        results.append(f"it has {declared.frames} frames, {take.frames} were recorded")
    if take.first is not None and declared.timecode != str(take.first):
        results.append(f"its timecode begins at {declared.timecode or 'nothing'}")
    if clip.format is not None and clip.format.encoding.matrix != held.encoding.matrix:
        results.append(f"it is taken as {format_words(clip.format)}")
    return tuple(results)
