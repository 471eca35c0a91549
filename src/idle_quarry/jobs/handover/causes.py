"""Which frame of a job's timeline a frame of a delivered file shows."""

from __future__ import annotations


def frame_of(document: dict[str, object], frame: int) -> tuple[str, int] | None:
    """Return the timeline and its frame that a frame of a file shows.

    None for files that were not made of one here, or around the programme.
    """
    result = document.get("made_of")
    if not isinstance(result, dict):
        return None
    for part in result["parts"]:
        if part["first"] <= frame < part["first"] + part["frames"]:
            # a delivery at another rate has as many frames more or fewer
            return str(result["timeline"]), int((part["shows"] + frame - part["first"]) * result["scale"])
    return None
