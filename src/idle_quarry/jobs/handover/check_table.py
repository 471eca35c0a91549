"""The table of checks: a row each, in the order in which they are told."""

from __future__ import annotations

from idle_quarry.jobs.handover import caption_checks
from idle_quarry.jobs.handover import picture_checks as pictures
from idle_quarry.jobs.handover import programme_checks as programme
from idle_quarry.jobs.handover import sound_checks as sound
from idle_quarry.jobs.handover.checks import CheckRow

_LOUDNESS = {"59.94 Hz": "ATSC A/85", "": "EBU R 128"}

CHECKS: tuple[CheckRow, ...] = (
    CheckRow("container", pictures.container, "codec"),
    CheckRow("codec", pictures.codec, "codec"),
    CheckRow("raster", pictures.raster, "format.raster"),
    CheckRow("rate", pictures.rate, "format.rate"),
    CheckRow("scan", pictures.scan, "format.scan"),
    CheckRow("field_order", pictures.field_order, "format.field_order"),
    CheckRow("cadence", pictures.cadence, "pulldown"),
    CheckRow("aspect", pictures.aspect, "format.raster"),
    CheckRow("active_picture", pictures.active_picture, "active_format", limit="edges", clause="SMPTE ST 2016-1"),
    CheckRow("range", pictures.code_range, "format.range", limit="levels", clause="ITU-R BT.709-6, BT.2100-2: levels"),
    CheckRow("luma", pictures.luma, "policy.colour", limit="gamut", clause="EBU R 103"),
    CheckRow("gamut", pictures.gamut, "policy.colour", limit="gamut", clause="EBU R 103"),
    CheckRow("hdr", pictures.hdr, "format.transfer", clause="CTA-861.3, SMPTE ST 2086"),
    CheckRow("black", pictures.black, limit="black"),
    CheckRow("freeze", pictures.freeze, limit="frozen"),
    CheckRow("repeats", pictures.repeats, limit="repeats"),
    CheckRow("flash", pictures.flash, limit="patterns", clause="ITU-R BT.1702"),
    CheckRow("timecode", programme.timecode, "start", clause="SMPTE ST 12-1"),
    CheckRow("layout", programme.layout, "programme"),
    CheckRow("sound_layout", sound.sound_layout, "layout"),
    CheckRow("silence", sound.silence, limit="silence"),
    CheckRow("level", sound.level, "line_up_dbfs", clause={"59.94 Hz": "SMPTE RP 155", "": "EBU R 68"}),
    CheckRow("clipping", sound.clipping),
    CheckRow("phase", sound.phase, limit="phase"),
    CheckRow("loudness", sound.loudness, "loudness_lufs", clause=_LOUDNESS),
    CheckRow("short_term", sound.short_term, clause=_LOUDNESS),
    CheckRow("loudness_range", sound.loudness_range, clause=_LOUDNESS),
    CheckRow("true_peak", sound.true_peak, "true_peak_dbtp", clause=_LOUDNESS),
    CheckRow("captions", caption_checks.captions, "captions"),
    CheckRow("sync", programme.sync, clause="EBU R 37"),
    CheckRow("naming", programme.naming, "file_name"),
)

IDS = tuple(row.id for row in CHECKS)


def setting_of(check: str, delivery: str) -> str | None:
    """Return the place of the setting that a check of a delivery is about; None where no setting is."""
    row = next((row for row in CHECKS if row.id == check), None)
    return f"deliveries.{delivery}.{row.setting}" if row is not None and row.setting else None
