"""Which setting of a delivery a check is of: where it is changed, or where what is wanted comes from."""

from __future__ import annotations

#: Check → the setting, below its delivery.
SETTINGS = {
    "container": "codec", "codec": "codec", "raster": "format.raster", "rate": "format.rate", "scan": "format.scan", "field_order": "format.field_order",
    "cadence": "pulldown", "aspect": "format.raster", "active_picture": "active_format", "range": "format.range", "gamut": "policy.colour",
    "hdr": "format.transfer", "timecode": "start", "layout": "programme", "sound_layout": "layout", "level": "line_up_dbfs", "loudness": "loudness_lufs",
    "true_peak": "true_peak_dbtp", "naming": "file_name",
}  # fmt: skip


def setting_of(check: str, delivery: str) -> str | None:
    """Return the place of the setting that a check of a delivery is of; None where no setting is."""
    return f"deliveries.{delivery}.{SETTINGS[check]}" if check in SETTINGS else None


def frame_of(document: dict[str, object], frame: int) -> tuple[str, int] | None:
    """Return the timeline and its frame that a frame of a file shows; None for files that were not made of one here, or around the programme."""
    made = document.get("made_of")
    if not isinstance(made, dict):
        return None
    for part in made["parts"]:
        if part["first"] <= frame < part["first"] + part["frames"]:
            # a delivery at another rate has as many frames more or fewer
            return str(made["timeline"]), int((part["shows"] + frame - part["first"]) * made["scale"])
    return None
