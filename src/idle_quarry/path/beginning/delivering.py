"""Deliveries made of specs: what ships with the program, or the house's own."""

from __future__ import annotations

from dataclasses import replace

from idle_quarry.path.registry import deliveries
from idle_quarry.path.template import Delivery, slug
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.timecode import can_drop


def delivered(
    standard: str, *, name: str | None = None, ident: str | None = None, rate_of: SignalFormat | None = None
) -> Delivery:
    """Return a delivery station made from a standard delivery; web deliveries follow `rate_of`'s rate."""
    found = deliveries()[standard]
    fmt = found.signal
    if found.follows_rate and rate_of is not None:
        fmt = replace(fmt, rate=rate_of.rate)
    sound = found.sound
    drop = found.drop and can_drop(fmt.rate)
    return Delivery(
        id=ident or slug(found.name if found.uid else standard), name=name or found.name, standard=standard, format=fmt, codec=found.codec,
        start=found.start.replace(";", ":"), drop=drop, sample_rate=sound.sample_rate, sound_bits=sound.bit_depth,
        line_up_dbfs=sound.line_up_dbfs, loudness_lufs=sound.loudness_lufs, true_peak_dbtp=sound.true_peak_dbtp,
        layout=sound.layout, programme=found.programme, file_name=found.file_name,
        active_format=found.active_format, captions=found.captions, max_cll=found.hdr.max_cll, max_fall=found.hdr.max_fall,
        mastering_peak=found.hdr.mastering_peak,
    )  # fmt: skip
