"""Deliveries made of specs: what ships with the program, or the house's own."""

from __future__ import annotations

from dataclasses import replace

from idle_quarry.path.registry import deliveries
from idle_quarry.path.template import slug
from idle_quarry.path.template_parts import Delivery
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import can_drop


def delivered(
    standard: str, *, name: str | None = None, ident: str | None = None, rate_of: SignalFormat | None = None
) -> Delivery:
    """Return a delivery station made from a standard delivery; web deliveries follow `rate_of`'s rate."""
    spec = deliveries()[standard]
    fmt = spec.signal
    if spec.follows_rate and rate_of is not None:
        fmt = replace(fmt, rate=rate_of.rate)
    sound = spec.sound
    drop = spec.drop and can_drop(fmt.rate)
    return Delivery(
        id=ident or slug(spec.name if spec.uid else standard),
        name=name or spec.name,
        standard=standard,
        format=fmt,
        codec=spec.codec,
        start=spec.start.replace(";", ":"),
        drop=drop,
        sample_rate=sound.sample_rate,
        sound_bits=sound.bit_depth,
        line_up_dbfs=sound.line_up_dbfs,
        loudness_lufs=sound.loudness_lufs,
        true_peak_dbtp=sound.true_peak_dbtp,
        layout=sound.layout,
        sound_tracks=sound.tracks,
        programme=spec.programme,
        file_name=spec.file_name,
        active_format=spec.active_format,
        captions=spec.captions,
        max_cll=spec.hdr.max_cll,
        max_fall=spec.hdr.max_fall,
        mastering_peak=spec.hdr.mastering_peak,
    )
