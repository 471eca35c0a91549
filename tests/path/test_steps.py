"""Steps: figures worked out by hand or counted picture by picture, and what must hold for any two formats."""

from __future__ import annotations

import math
from fractions import Fraction
from itertools import pairwise, product

import pytest

from idle_quarry.path.grades import GRADES
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps import FitStep, plan
from idle_quarry.path.steps.cadence import ribbon
from idle_quarry.signal.catalogue import standard_formats
from idle_quarry.signal.words import format_from_words as words


def step(source: str, target: str, kind: str, **policy: str) -> dict[str, object]:
    steps = plan(words(source), words(target), Policy(**policy)).steps  # type: ignore[arg-type]
    result = next((item for item in steps if item.kind == kind), None)
    assert result is not None, f"{source} → {target} has no {kind} step"
    return {**result.numbers, "grade": result.grade, "text": result.text}


def kinds(source: str, target: str) -> list[str]:
    return [item.kind for item in plan(words(source), words(target)).steps]


@pytest.mark.parametrize("each", standard_formats(), ids=lambda each: each.words)
def test_a_format_into_itself_is_exact(each: object) -> None:
    fmt = each.format  # type: ignore[attr-defined]
    assert plan(fmt, fmt).steps == () and plan(fmt, fmt).grade == "exact"


def test_any_two_standard_formats_have_a_plan() -> None:
    for a, b in product(standard_formats(), repeat=2):
        link = plan(a.format, b.format)
        assert link.grade in GRADES[:3], (a.words, b.words)
        assert link.grade == max((s.grade for s in link.steps), key=GRADES.index, default="exact")
        if a.format != b.format:
            assert link.steps, (a.words, b.words)
        fit = link.step(FitStep)
        if fit:
            assert 0 <= fit.cropped < 1 and 0 <= fit.unused < 1
            assert fit.geometry_error == 1 or link.placement is not None


def test_tape_into_hd() -> None:
    """A 4:3 picture of 702 samples becomes 1440 of 1920: a quarter of the frame is black."""
    fit = step("576i25 4:3", "1080i25", "fit")
    assert fit["scale_x"] == pytest.approx(1440 / 702) and fit["scale_y"] == pytest.approx(1080 / 576)
    assert fit["offset_x"] == 240 and fit["offset_y"] == 0
    assert fit["unused"] == pytest.approx(0.25) and fit["cropped"] == 0 and fit["geometry_error"] == 1
    filled = step("576i25 4:3", "1080i25", "fit", fit="fill")
    assert filled["cropped"] == pytest.approx(0.25) and filled["unused"] == 0
    stretched = step("576i25 4:3", "1080i25", "fit", fit="stretch")
    assert stretched["geometry_error"] == pytest.approx(4 / 3)
    top = step("576i25 4:3", "1080i25", "fit", fit="fill", position="top")
    assert top["offset_y"] == 0 and filled["offset_y"] == pytest.approx(-180)


def test_scope_from_hd_and_the_525_line_crop() -> None:
    fit = step("1080p25", "2048x858p25", "fit")
    assert fit["unused"] == pytest.approx(1 - (858 * 16 / 9) / 2048)
    crop = step("486i29.97", "480i29.97", "fit")
    assert (crop["scale_x"], crop["scale_y"], crop["offset_y"]) == (
        1,
        1,
        -4,
    )  # RP 202: four off the top, two off the bottom
    assert crop["cropped"] == pytest.approx(6 / 486)
    assert kinds("486i29.97", "480i29.97") == ["fit"]  # and so the field order is kept


def test_speed_and_pitch() -> None:
    rate = step("1080p24", "1080p25", "rate")
    assert (rate["method"], rate["speed"]) == ("speed", Fraction(25, 24))
    assert rate["pitch_semitones"] == pytest.approx(12 * math.log2(25 / 24)) == pytest.approx(0.707, abs=5e-4)
    pulled = step("1080p23.976", "1080p25", "rate")
    assert pulled["speed"] == Fraction(1001, 960) and pulled["pitch_semitones"] == pytest.approx(0.724, abs=5e-4)
    kept = step("1080p24", "1080p25", "rate", retime="nearest")
    assert kept["speed"] == 1 and kept["repeated"] == pytest.approx(40)


def test_thirty_is_not_thirty() -> None:
    rate = step("1080p29.97", "1080p30.00", "rate")
    assert rate["repeated"] == pytest.approx(1000 / 1001) and rate["drift_seconds_per_hour"] == pytest.approx(
        3.5964, abs=1e-3
    )
    assert "33.4 s" in str(rate["text"])
    assert step("1080p30.00", "1080p29.97", "rate")["dropped"] == pytest.approx(1.0)
    assert step("1080p25", "1080p50", "rate")["drift_seconds_per_hour"] == 0


@pytest.mark.parametrize(
    ("source", "target"), [("29.97", "30.00"), ("50", "59.94"), ("59.94", "50"), ("24", "30.00"), ("30.00", "25")]
)
def test_repeats_and_drops_as_counted(source: str, target: str) -> None:
    a, b = words(f"1080p{source}").rate, words(f"1080p{target}").rate
    count = 60_000
    shown = [math.floor((index + Fraction(1, 2)) * a / b) for index in range(count)]
    pairs = list(pairwise(shown))
    repeated = 1000 * sum(x == y for x, y in pairs) / count
    dropped = 1000 * sum(max(0, y - x - 1) for x, y in pairs) / count
    rate = step(f"1080p{source}", f"1080p{target}", "rate", retime="nearest")
    assert rate["repeated"] == pytest.approx(repeated, abs=0.05)
    assert rate["dropped"] == pytest.approx(dropped, abs=0.05)
    cells = ribbon(a, b, "nearest", 500)
    assert [int(cell.source) for cell in cells] == shown[:500]


def test_blends_as_counted() -> None:
    rate = step("1080p50", "1080p59.94", "rate", retime="blend")
    exact = sum((index * Fraction(50) / Fraction(60000, 1001)).denominator == 1 for index in range(12_000))
    assert rate["blended"] == pytest.approx(1000 * (1 - exact / 12_000), abs=0.1)


@pytest.mark.parametrize(
    ("source", "target", "retime", "speed", "scan"),
    [
        ("1080p24", "1080i25", "auto", Fraction(25, 24), "whole pictures as fields"),
        ("1080p23.976", "1080i25", "auto", Fraction(1001, 960), "whole pictures as fields"),
        ("1080psf24", "1080i25", "auto", Fraction(25, 24), "segments kept as fields"),
        ("1080p30.00", "1080i29.97", "speed", Fraction(1000, 1001), "whole pictures as fields"),
        ("1080p60.00", "1080i29.97", "speed", Fraction(1000, 1001), "fields from pictures"),
        ("1080i25", "1080p24", "auto", Fraction(24, 25), "deinterlace, motion-adaptive"),
        ("1080i29.97", "1080p60.00", "speed", Fraction(1001, 1000), "deinterlace, motion-adaptive"),
    ],
)
def test_speed_between_pictures_and_fields(source: str, target: str, retime: str, speed: Fraction, scan: str) -> None:
    rate = step(source, target, "rate", retime=retime)
    assert (rate["method"], rate["speed"]) == ("speed", speed)
    assert step(source, target, "scan", retime=retime)["method"] == scan


def test_what_interlaced_pictures_lose_is_counted_once() -> None:
    """Of 50 fields the scan step leaves 25 pictures, and one of those a second has no place among 24."""
    assert step("1080i25", "1080p24", "scan", retime="nearest")["moments_halved"]
    rate = step("1080i25", "1080p24", "rate", retime="nearest")
    assert rate["dropped"] == pytest.approx(1000 / 24) and "one picture a second is dropped" in str(rate["text"])


@pytest.mark.parametrize(
    ("source", "target", "cadence", "grade"),
    [
        ("1080p23.976", "1080i29.97", "2:3", "clean"),
        ("1080p23.976", "1080p59.94", "3:2", "clean"),
        ("1080p25", "1080p50", "2:2", "clean"),
    ],
)
def test_cadences(source: str, target: str, cadence: str, grade: str) -> None:
    rate = step(source, target, "rate")
    assert (rate["cadence"], rate["grade"]) == (cadence, grade)
    a, b = words(source), words(target)
    shown = [int(cell.source) for cell in ribbon(a.rate, b.moments, "nearest", 40)]
    lengths = [shown.count(picture) for picture in range(8)]
    assert lengths[:4] == ([2, 3, 2, 3] if "3" in cadence else [2, 2, 2, 2])


@pytest.mark.parametrize(
    ("source", "target", "grade", "method", "swaps"),
    [
        ("1080psf25", "1080p25", "clean", "join segments", False),
        ("1080p25", "1080psf25", "clean", "split into segments", False),
        ("1080p25", "1080i25", "clean", "whole pictures as fields", False),
        ("1080psf25", "1080i25", "clean", "segments kept as fields", False),
        ("1080p50", "1080i25", "lossy", "fields from pictures", False),
        ("1080i25", "1080p25", "lossy", "deinterlace, motion-adaptive", False),
        ("1080i25", "1080i25 bff", "lossy", "line shift", True),
        ("480i29.97", "1080i29.97", "lossy", "deinterlace, convert, interlace", True),
        ("576i25 bff", "1080i25", "lossy", "deinterlace, convert, interlace", True),
        ("576i25", "1080i25", "lossy", "deinterlace, convert, interlace", False),
    ],
)
def test_fields(source: str, target: str, grade: str, method: str, swaps: bool) -> None:
    scan = step(source, target, "scan")
    assert (scan["grade"], scan["method"], scan["field_order_changes"]) == (grade, method, swaps)


def test_fields_are_left_alone_where_only_width_changes() -> None:
    assert kinds("1440x1080i25", "1080i25") == ["fit"]


def test_left_woven_is_broken() -> None:
    assert plan(words("1080i25"), words("1080p25"), Policy(scan="leave")).grade == "broken"
    assert plan(words("1080p25"), words("1080p50"), Policy(retime="refuse")).grade == "broken"
    assert plan(words("2160p50 hlg"), words("2160p50"), Policy(colour="leave")).grade == "broken"


def test_codes() -> None:
    assert step("1080p25", "1080p25 8bit", "depth")["codes_lost"] == 657
    assert step("1080p25 8bit", "1080p25", "depth")["grade"] == "clean"
    squeezed = step("1080p25 full", "1080p25", "range")
    assert squeezed["codes_lost"] == 1024 - 877 and squeezed["grade"] == "lossy"
    assert step("1080p25 8bit full", "1080p25 8bit", "range")["codes_lost"] == 36
    assert step("1080p25", "1080p25 4:2:0", "sampling")["chroma_kept"] == 0.5


def test_colour() -> None:
    assert step("2160p50 hlg", "2160p50 pq", "colour")["grade"] == "clean"
    tones = ("compress", "reference", "soft")
    bent, kept, soft = (step("2160p50 hlg", "2160p50", "colour", tone=tone) for tone in tones)
    assert "lands at 90.3 % (78.3 cd/m²)" in str(soft["text"]) and soft["grade"] == "lossy"
    assert bent["grade"] == kept["grade"] == "lossy"
    assert "68.7 % (40.6 cd/m²)" in str(bent["text"]) and "reference white (75 %) stays white" in str(kept["text"])
    assert "1000 cd/m², is clipped" in str(step("2160p50 pq", "2160p50 hlg", "colour")["text"])
    assert "super-white" in str(step("1080p25", "2048x1080p25 p3 4:4:4", "colour")["text"])
    assert "super-white" not in str(step("576i25", "1080i25", "colour")["text"])
    assert step("1080p25", "1080p25 bt2020", "colour")["grade"] == "clean"
    assert step("1080p25 bt2020", "1080p25", "colour")["gamut_outside"] == pytest.approx(0.42, abs=0.01)
