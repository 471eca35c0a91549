"""Captions beside a file, held against the file they belong to."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from tests.jobs.test_checks import checked
from tests.media.test_captions import stl

from idle_quarry.jobs.handover.checks import FAILS, LOOK, NOT_CHECKED, PASSES, Check


def test_captions_that_do_not_belong_to_a_file_are_told(tmp_path: Path) -> None:
    path = tmp_path / "x.mxf"
    beside = path.with_suffix(".stl")

    def told(data: bytes, **more: Any) -> Check:
        beside.write_bytes(data)
        return checked(name=str(path), **more)["captions"]

    good = ("10:00:00:10", "10:00:02:00", "The quarry wakes.")
    assert told(stl([good])).verdict == PASSES
    wanted = told(stl([good]), delivery={"captions": ("EBU STL", "CEA-608")})
    assert wanted.verdict == FAILS and "CEA-608 is wanted" in wanted.text
    coded = {"coded_captions": ("CEA-608",)}
    assert told(stl([good]), delivery={"captions": ("EBU STL", "CEA-608")}, **coded).verdict == PASSES
    for cues, rate, start, verdict, why in (
        ([("09:59:00:00", "09:59:02:00", "early")], 25, "10000000", FAILS, "outside the programme at 09:59:00:00"),
        ([("10:00:01:00", "10:00:01:00", "none")], 25, "10000000", FAILS, "end before they begin"),
        ([good], 30, "10000000", FAILS, "counts 30 frames a second"),
        ([good], 25, "09000000", FAILS, "has the programme begin at 09:00:00:00"),
        ([good], 25, "00000000", LOOK, "has the programme begin"),
        ([("10:00:01:00", "10:00:02:00", "x" * 39)], 25, "10000000", FAILS, "lines of more than 38 signs"),
        ([("10:00:01:00", "10:00:02:00", "x" * 30)], 25, "10000000", LOOK, "signs a second at 10:00:01:00 (30)"),
        ([good, ("10:00:01:00", "10:00:03:00", "over")], 25, "10000000", LOOK, "over one another at 10:00:01:00"),
    ):
        result = told(stl(cues, rate, start))
        assert result.verdict == verdict and why in result.text, result.text
    beside.write_bytes(b"junk")
    assert "is no EBU STL" in checked(name=str(path))["captions"].text
    beside.unlink()
    assert checked(name=str(path))["captions"].verdict == NOT_CHECKED
