"""What Larkmoor Finishing has of its own: two monitors, a broadcaster's spec, a codec variant, a layout, naming
rules.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from idle_quarry.library.house_entries import checked
from idle_quarry.path.entries import Entry


@dataclass(frozen=True)
class SavedEntry:
    """A revision of an entry as somebody saved it."""

    entry: Entry
    author: str
    time: str
    note: str
    state: str = "approved"


def _entry(number: int, **values: Any) -> Entry:
    return checked({**values, "uid": f"1a4c0000-0000-4000-8000-{number:012d}"})


_HD = {"lines": [1080], "widths": [1920], "transfers": ["bt709"], "interface": "HD"}
_BAY_FOUR: dict[str, Any] = {
    "entry": "monitor",
    "name": "Bay 4 panel",
    "kind": "HD panel on a wall arm",
    "device": "panel",
    "source": "tried out in bay 4, August 2026",
    "ranges": ["narrow"],
    "payload": "ignored",
    "tells_psf": False,
    "accepts": [{**_HD, "scans": ["interlaced", "psf"], "rates": ["25"]}],
}


def bay_four(year: int = 1) -> Entry:
    """Return the panel of bay 4: as it was, or as it is since its board was changed."""
    if year == 1:
        return _entry(1, **_BAY_FOUR)
    fast = {**_HD, "scans": ["progressive"], "rates": ["50"], "interface": "3G"}
    return _entry(
        1, **{**_BAY_FOUR, "accepts": [*_BAY_FOUR["accepts"], fast], "source": "new input board, November 2026"}
    )


def bay_five() -> Entry:
    """Return the HDR panel of bay 5."""
    wide = {"lines": [2160], "widths": [3840], "scans": ["progressive"], "rates": ["25", "50"], "interface": "12G"}
    return _entry(
        2,
        entry="monitor",
        name="Bay 5 HDR panel",
        kind="UHD panel for grading, HLG and PQ",
        device="panel",
        peak_cd_m2=1000,
        black_cd_m2=0.005,
        primaries="p3",
        source="its handbook, and measured in October 2026",
        ranges=["narrow", "full"],
        payload="needed",
        accepts=[
            {**wide, "transfers": ["hlg", "pq", "bt709"]},
            {**_HD, "scans": ["interlaced", "psf"], "rates": ["25"]},
        ],
    )


def forty_five() -> Entry:
    """Return the codec variant that Harbour Six asks for."""
    return _entry(
        3,
        entry="codec",
        name="Harbour long GOP 45",
        base="mpeg2-422-50",
        mbps=45,
        gop=15,
        containers=["mxf"],
        source="Harbour Six, technical note 12",
    )


def in_time() -> Entry:
    """Return how a file for Harbour Six lies in time."""
    return _entry(
        4,
        entry="programme",
        name="Harbour Six, one part",
        source="Harbour Six, delivery spec 3.1",
        starts="10:00:00:00",
        tolerance_pictures=1,
        items=[
            {"what": "bars", "seconds": 30, "tone": True},
            {"what": "black", "seconds": 10},
            {"what": "clock", "seconds": 17, "text": "{title} {episode}"},
            {"what": "black", "seconds": 3},
            {"what": "programme"},
            {"what": "end black", "seconds": 5},
        ],
    )


def harbour_six() -> Entry:
    """Return the spec of a broadcaster that is nobody's."""
    return _entry(
        5,
        entry="delivery",
        name="Harbour Six",
        territory="50 Hz",
        format="1080i25 8bit",
        codec=forty_five().id,
        source="Harbour Six, delivery spec 3.1 (made up)",
        wrapper="mxf",
        programme=in_time().id,
        sound={"layout": "stereo-me", "line_up_dbfs": -18, "loudness_lufs": -23, "true_peak_dbtp": -3},
        tolerances={"loudness_lu": 0.3, "line_up_db": 0.2, "gamut_area": 0.5, "black_s": 1, "frozen_s": 1.5},
        checks=["gamut", "flashes", "black", "frozen"],
        captions=["OP-47"],
        active_format="protect 14:9",
        file_name="{series} E{episode:02} v{version}",
        clauses=[
            {
                "number": "4.2",
                "check": "loudness",
                "text": "Loudness within 0.3 LU of the target, true peak at most −3 dBTP.",
            },
            {"number": "5.1", "check": "gamut", "text": "No more than 0.5 % of the area outside EBU R 103."},
        ],
    )


def histories() -> Iterator[list[SavedEntry]]:
    """Yield the history of each of the house's entries, oldest revision first; what others name comes first."""
    yield [
        SavedEntry(bay_four(), "Wren", "2026-08-11T09:00:00+00:00", "As it hangs there"),
        SavedEntry(bay_four(2), "Wren", "2026-11-19T16:30:00+00:00", "Takes 50 pictures since the new board"),
    ]
    yield [SavedEntry(bay_five(), "Odo", "2026-10-05T10:00:00+00:00", "New in bay 5")]
    yield [SavedEntry(forty_five(), "Odo", "2026-09-01T09:00:00+00:00", "For Harbour Six")]
    yield [SavedEntry(in_time(), "Odo", "2026-09-01T09:10:00+00:00", "For Harbour Six")]
    yield [SavedEntry(harbour_six(), "Odo", "2026-09-01T09:30:00+00:00", "Spec 3.1")]
    job = _entry(6, entry="naming", name="Larkmoor job", of="job", rule="{date} {title}", source="agreed in May 2026")
    yield [SavedEntry(job, "Runa", "2026-05-20T09:00:00+00:00", "Jobs sort by their day")]
    file = _entry(
        7, entry="naming", name="Larkmoor file", of="file", rule="{series} E{episode:02} {delivery} v{version:02}"
    )
    yield [SavedEntry(file, "Runa", "2026-05-20T09:05:00+00:00", "Files tell what they are")]
    rushes = _entry(8, entry="format", name="Ferry camera", words="1080p50", source="what the deck cameras record")
    yield [SavedEntry(rushes, "Tamsin", "2026-11-21T08:00:00+00:00", "For Ferry Talk", "draft")]
