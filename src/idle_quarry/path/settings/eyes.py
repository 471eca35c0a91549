"""The setting that says whether pictures are of one eye or of two."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.eyes import NAMES, Eyes, cost_of
from idle_quarry.path.settings.setting import Setting, named, one_of


def eyes_setting(place: str, sheet: str, eyes: Eyes, working: Eyes) -> Iterator[Setting]:
    """Yield the eyes of a source or a delivery, where the programme or the station itself has two."""
    if eyes == working == "one":
        return
    ends = (eyes, working) if sheet.startswith("source") else (working, eyes)
    follows = cost_of(*ends)[1] or "as the programme has it"
    yield Setting(
        f"{place}.eyes", sheet, "Eyes", named(NAMES, eyes), follows, one_of(NAMES, "way"), tuple(NAMES), free=False
    )


def working_eyes(eyes: Eyes) -> Setting:
    """Return the setting that says how many eyes the programme has."""
    follows = (
        "flat pictures"
        if eyes == "one"
        else "stereoscopic: data double"
        if eyes == "two files"
        else "stereoscopic: half the width each"
    )
    return Setting(
        "working.eyes",
        "working",
        "Eyes",
        named(NAMES, eyes),
        follows,
        one_of(NAMES, "way"),
        tuple(NAMES),
        free=False,
        explained="Stereoscopic pictures: left and right in a file each, or beside one another in one.",
    )
