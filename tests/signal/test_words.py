"""Formats in words: the contract's examples, round trips of anything, refusals that name the readings."""

from __future__ import annotations

import re
from fractions import Fraction
from pathlib import Path
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from idle_quarry.errors import NotPossible, NotUnderstood, QuarryError
from idle_quarry.signal import Encoding, Raster, SignalFormat, format_from_words, format_words
from idle_quarry.signal.catalogue import (
    irregularities,
    nearest_standard,
    standard_formats,
    standard_of,
    territories_of_rate,
)
from idle_quarry.signal.colour import MATRICES, PRIMARIES, TRANSFERS
from idle_quarry.signal.formats import format_from_json, format_to_json
from idle_quarry.signal.rates import NAMED_RATES
from idle_quarry.signal.spoken import SeveralReadings
from idle_quarry.signal.words import Sixty, pulled_reading


def test_defaults_are_the_standards_own() -> None:
    tape = format_from_words("576i25")
    assert (tape.raster.width, tape.field_order, tape.raster.display_aspect) == (720, "top", Fraction(4, 3))
    assert tape.raster.pixel_aspect == Fraction(4, 3) * 576 / 702  # BT.601: the picture is 702 of 720 samples
    assert (tape.encoding.primaries, tape.encoding.matrix) == ("bt601-625", "bt601")
    assert format_from_words("480i29.97").field_order == "bottom"
    assert format_from_words("2160p50").encoding.primaries == "bt709"
    hlg = format_from_words("2160p50 hlg").encoding
    assert (hlg.primaries, hlg.transfer, hlg.matrix, hlg.bit_depth, hlg.sampling, hlg.range) == (
        "bt2020",
        "hlg",
        "bt2020",
        10,
        "4:2:2",
        "narrow",
    )
    assert format_from_words("1440x1080i25").raster.pixel_aspect == Fraction(4, 3)


@pytest.mark.parametrize(
    ("said", "meant"),
    [
        ("1080i50", "1080i25"),
        ("1080i59.94", "1080i29.97"),
        ("1080i60.00", "1080i30.00"),
        ("576i50", "576i25"),
        ("1080i/25", "1080i25"),
    ],
)
def test_fields_are_written_back_in_frames(said: str, meant: str) -> None:
    fmt = format_from_words(said)
    assert fmt == format_from_words(meant)
    assert "fields/s)" in format_words(fmt, fields=True)
    assert format_from_words(format_words(fmt, fields=True)) == fmt


@pytest.mark.parametrize("each", standard_formats(), ids=lambda each: each.words)
def test_every_standard_format_is_written_as_it_is_read(each: object) -> None:
    words = each.words  # type: ignore[attr-defined]
    fmt = each.format  # type: ignore[attr-defined]
    assert format_words(fmt) == words
    assert irregularities(fmt) == ()
    assert standard_of(fmt) == each.standard  # type: ignore[attr-defined]
    assert nearest_standard(fmt).format == fmt
    assert each.territories  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("1080i25 hlg", "no fields"),
        ("2160p50 8bit", "10, 12 bits, not 8"),
        ("2160p50 8bit hlg", "at least 10"),
        ("576i25 p3", "colour"),
        ("1280x1080i25", "ST 370 has no interlaced"),
        ("1080p25 bt2020", "colour"),
        ("1440x1080p25 12bit", "not 12"),
        ("1920x1088p25", "no standard"),
    ],
)
def test_what_no_standard_has_together_is_said(text: str, why: str) -> None:
    assert any(why in words for words in irregularities(format_from_words(text))), irregularities(
        format_from_words(text)
    )
    assert irregularities(format_from_words("1080p25 4:4:4 matrix=rgb")) == ()  # R′G′B′ of the standard's own colour


def test_territories_by_rate() -> None:
    """ST 428-11 knows 24, 25, 30, 48, 50 and 60: 23.976 is no rate of cinema."""
    assert territories_of_rate(NAMED_RATES["23.976"]) == ("59.94 Hz",)
    assert territories_of_rate(Fraction(24)) == ("cinema",) and territories_of_rate(Fraction(25))[0] == "50 Hz"


formats = st.builds(
    lambda w, h, par, rate, scan, order, encoding: SignalFormat(
        Raster(w, h, par), rate, scan if h <= 1080 else "progressive",
        None if scan == "progressive" or h > 1080 else order, encoding,
    ),
    st.integers(16, 8000), st.integers(8, 2200).map(lambda n: 2 * n),
    st.sampled_from([Fraction(1), Fraction(4, 3), Fraction(16, 15), Fraction(128, 117), Fraction(8, 9)]),
    st.sampled_from([NAMED_RATES["25"], NAMED_RATES["29.97"], Fraction(30)]),
    st.sampled_from(["progressive", "interlaced", "psf"]), st.sampled_from(["top", "bottom"]),
    st.builds(
        Encoding, st.sampled_from(sorted(PRIMARIES)), st.sampled_from(sorted(TRANSFERS)),
        st.sampled_from(sorted(MATRICES)),
        st.sampled_from(["narrow", "full"]), st.sampled_from([8, 10, 12, 16]), st.sampled_from(["4:2:0", "4:2:2",
        "4:4:4"]),
    ),
)  # fmt: skip


@given(formats)
def test_any_format_survives_words_and_json(fmt: SignalFormat) -> None:
    assert format_from_json(format_to_json(fmt)) == fmt
    back = format_from_words(format_words(fmt))
    assert back == fmt or (fmt.scan == "psf" and format_from_words(format_words(fmt)).raster == fmt.raster)


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("50i", "1080i25"),
        ("1080psf50", "1080psf25"),
        ("1080psf50", "1080p50"),
        ("2160i25", "2160"),
        ("1080", "p"),
        ("1080p", "rate"),
        ("858p24", "2048x858"),
        ("1080i24", "1080i25"),
        ("1080p25 hlg pq", "hlg"),
        ("1080p25 8bit 10bit", "8bit"),
        ("1080p25 narrow full", "narrow"),
        ("1080p25 tff", "tff"),
        ("1080p25 wide", "wide"),
        ("", "1080i25"),
        ("1080p0", "above 0"),
        ("576i25 4:3 16:9", "4:3"),
        ("1080p25 0:3", "sides"),
        ("720x576i25 4:3=705", "702"),
    ],
)
def test_what_cannot_be_read_shows_what_was_meant(text: str, shown: str) -> None:
    with pytest.raises((NotUnderstood, NotPossible)) as refusal:
        format_from_words(text)
    assert shown in str(refusal.value)
    assert "\n" not in str(refusal.value)


@pytest.mark.parametrize(
    ("said", "meant"),
    [
        ("PAL", "576i25 4:3"),
        ("NTSC", "480i29.97 4:3"),
        ("NTSC 16:9", "480i29.97 16:9"),
        ("PAL wide", "576i25 16:9"),
        ("Pal Anamorphic", "576i25 16:9"),
        ("PAL 25p", "576p25 4:3"),
        ("SD 50i", "576i25 4:3"),
        ("SD 59.94i", "480i29.97 4:3"),
        ("HD 23.98p", "1080p23.976"),
        ("Full HD 50p", "1080p50"),
        ("UHD 50p HLG", "2160p50 hlg"),
        ("4K UHD 59.94p PQ", "2160p59.94 pq"),
        ("4K DCI 24p", "4096x2160p24"),
        ("DCI 4K full 24p", "4096x2160p24"),
        ("2K scope 24p", "2048x858p24"),
        ("2K flat 24p P3 12 bit 4:4:4", "1998x1080p24 p3 12bit 4:4:4"),
        ("1080/50i", "1080i25"),
        ("1080i/25", "1080i25"),
        ("1080/25PsF", "1080psf25"),
        ("1920x1080 59.94i", "1080i29.97"),
        ("1920 × 1080 p 25", "1080p25"),
        ("720 59.94p", "720p59.94"),
        ("720/50", "720p50"),
        ("2160 50", "2160p50"),
        ("25p 1080", "1080p25"),
        ("1080 50 fields", "1080i25"),
        ("HD PAL 25p", "1080p25"),
        ("1080p 25 fps full range", "1080p25 full"),
        ("8K 50p HLG", "4320p50 hlg"),
        ("UHD 25p Rec. 2020", "2160p25 bt2020"),
    ],
)
def test_formats_as_people_say_them(said: str, meant: str) -> None:
    assert format_words(format_from_words(said)) == meant


@pytest.mark.parametrize(
    ("said", "readings"),
    [
        ("1080 50", ("1080i25", "1080p50")),
        ("1080 24", ("1080p24", "1080psf24")),
        ("50i", ("1080i25", "576i25")),
        ("PAL 50", ("576i25", "576p50")),
        ("PAL 60p", ("576i25", "576p50")),
        ("NTSC 25", ("480i29.97", "480p59.94")),
        ("4K 24p", ("2160p24", "4096x2160p24")),
        ("4K", ("2160p25", "4096x2160p25")),
        ("HD", ("1080i25", "1080p50")),
        ("DCI 24p", ("2048x1080p24",)),
    ],
)
def test_what_can_be_read_in_several_ways_shows_each(said: str, readings: tuple[str, ...]) -> None:
    with pytest.raises(SeveralReadings) as refusal:
        format_from_words(said)
    assert set(readings) <= set(refusal.value.readings)
    for reading in refusal.value.readings:  # each can be taken as it stands
        assert format_words(format_from_words(reading)).startswith(reading.split()[0]) and reading in str(refusal.value)


@given(formats, st.randoms(use_true_random=False))
def test_words_respaced_and_reordered_are_the_same_format(fmt: SignalFormat, random: Random) -> None:
    head, *rest = format_words(fmt).split()
    result = re.fullmatch(r"((?:\d+x)?\d+)(psf|p|i)(.+)", head)
    assert result is not None
    lines, scan, rate = result.groups()
    shapes = [
        [head],
        [lines, scan + rate],
        [lines, rate + scan],
        [lines + scan, rate],
        [lines, scan, rate],
        [f"{lines}{scan}/{rate}"],
    ]
    if "x" not in lines:
        shapes.append([f"{lines}/{rate}{scan}"])
    parts = [*random.choice(shapes), *rest]
    random.shuffle(parts)
    text = random.choice([" ", "   ", ", "]).join(parts)
    assert format_from_words(random.choice([text, text.upper(), text.title()])) == format_from_words(format_words(fmt))


@given(st.text(max_size=60))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        fmt = format_from_words(text)
    except QuarryError:
        return
    assert format_from_words(format_words(fmt)) == fmt


def test_a_field_order_is_one_of_two_also_where_it_may_be_none() -> None:
    text = format_to_json(format_from_words("1080psf25"))
    assert format_from_json({**text, "field_order": None}).field_order is None
    for wrong in ("sideways", "\ud800"):
        with pytest.raises(NotPossible, match="no such field order"):
            format_from_json({**text, "field_order": wrong})


_SAYINGS = [
    line.split(" = ", 1)
    for line in (Path(__file__).parent / "sayings.txt").read_text(encoding="utf-8").splitlines()
    if not line.startswith("#")
]


@pytest.mark.parametrize(("said", "truth"), [line for line in _SAYINGS if line[1][:2] not in ("? ", "! ", "60")])
def test_what_people_say_is_one_format(said: str, truth: str) -> None:
    assert format_from_words(said) == format_from_words(truth)


@pytest.mark.parametrize(("said", "truth"), [line for line in _SAYINGS if line[1][:2] in ("? ", "! ")])
def test_what_nobody_can_know_is_asked_with_what_can_be_taken(said: str, truth: str) -> None:
    wanted = {format_from_words(reading) for reading in truth[2:].split(" | ")}
    with pytest.raises(NotUnderstood) as asked:
        format_from_words(said)
    if truth.startswith("?"):
        assert isinstance(asked.value, SeveralReadings)
        assert wanted <= {format_from_words(reading) for reading in asked.value.readings}
    else:
        assert all(reading in str(asked.value) for reading in truth[2:].split(" | "))


@pytest.mark.parametrize(("said", "truth"), [line for line in _SAYINGS if line[1].startswith("60 ")])
def test_sixty_is_asked_except_where_the_house_is_one_of_59_94(said: str, truth: str) -> None:
    meant = format_from_words(truth[3:])
    with pytest.raises(SeveralReadings) as asked:
        format_from_words(said)
    readings = [format_from_words(reading) for reading in asked.value.readings]
    assert readings[0] == meant and all(r.rate == meant.rate * Fraction(1001, 1000) for r in readings[1:])
    assert format_from_words(said, Sixty.PULLED) == meant
    assert format_words(meant, fields=True) in pulled_reading(said, meant)
    assert pulled_reading(truth[3:], meant) == ""


def test_there_are_two_hundred_sayings() -> None:
    assert len({said for said, _ in _SAYINGS}) == len(_SAYINGS) >= 200
