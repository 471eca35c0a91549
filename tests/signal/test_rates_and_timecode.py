"""Rates and timecode against OpenTimelineIO's independent implementation and the standard's own figures."""

from __future__ import annotations

from fractions import Fraction

import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.signal.rates import NAMED_RATES, rate_from_text, rate_text
from idle_quarry.signal.timecode import Timecode, can_drop, counted_frames, frames_a_day

NTSC = Fraction(30000, 1001)


@pytest.mark.parametrize("name", NAMED_RATES)
def test_every_named_rate_reads_back(name: str) -> None:
    assert rate_text(rate_from_text(name)) == name
    assert rate_from_text(f"{NAMED_RATES[name].numerator}/{NAMED_RATES[name].denominator}") == NAMED_RATES[name]


def test_names_are_fractions_not_decimals() -> None:
    assert rate_from_text("29.97") == NTSC != Fraction("29.97")
    assert rate_from_text("23.98") == rate_from_text("23.976") == Fraction(24000, 1001)
    assert rate_from_text("37.5") == Fraction(75, 2)


@pytest.mark.parametrize("text", ["", "0", "-25", "1/0", "nan", "inf", "2e3", "abc", "1001", "٢٥", "9" * 400])
def test_nonsense_rates_are_refused(text: str) -> None:
    with pytest.raises(NotUnderstood):
        rate_from_text(text)


def test_figures_of_the_standard() -> None:
    """ST 12-1: 17 982 frames in ten minutes, 2 589 408 in a day."""
    assert frames_a_day(NTSC, True) == 2_589_408
    assert Timecode.from_text("00:10:00;00", NTSC).frames == 17_982
    assert str(Timecode.from_text("00:00:59;29", NTSC) + 1) == "00:01:00;02"
    assert str(Timecode.from_text("00:09:59;29", NTSC) + 1) == "00:10:00;00"
    assert str(Timecode.from_text("23:59:59;29", NTSC) + 1) == "00:00:00;00"
    assert str(Timecode.from_text("00:00:00:00", Fraction(25)) - 1) == "23:59:59:24"
    assert str(Timecode.from_text("00:00:59;59", 2 * NTSC) + 1) == "00:01:00;04"


@given(
    st.sampled_from(
        [(NTSC, True), (NTSC, False), (2 * NTSC, True), (Fraction(25), False), (Fraction(24000, 1001), False)]
    ),
    st.integers(0, 2_500_000),
)
def test_text_agrees_with_opentimelineio(kind: tuple[Fraction, bool], frames: int) -> None:
    rate, drop = kind
    frames %= frames_a_day(rate, drop)
    ours = Timecode(frames, rate, drop)
    theirs = otio.opentime.to_timecode(otio.opentime.RationalTime(frames, float(rate)), float(rate), drop)
    assert str(ours) == theirs
    assert Timecode.from_text(str(ours), rate) == ours


@given(
    st.sampled_from(sorted(NAMED_RATES.values())), st.integers(0, 10**7), st.integers(-(10**6), 10**6), st.booleans()
)
def test_arithmetic_wraps_and_undoes_itself(rate: Fraction, frames: int, step: int, drop: bool) -> None:
    drop = drop and can_drop(rate)
    start = Timecode(frames, rate, drop)
    moved = start + step
    assert moved - step == start
    assert moved.frames_since(start) == step % frames_a_day(rate, drop)
    assert Timecode.from_text(str(moved), rate) == moved


@given(st.integers(0, 86399 * 25))
def test_conversion_keeps_the_moment(frames: int) -> None:
    at_25 = Timecode(frames, Fraction(25))
    at_50 = at_25.converted(Fraction(50))
    assert at_50.frames == 2 * frames
    assert at_50.converted(Fraction(25)) == at_25
    at_ntsc = at_25.converted(NTSC, drop=True)
    assert 0 <= at_25.seconds - at_ntsc.seconds < 1 / NTSC


@pytest.mark.parametrize(
    ("text", "rate"),
    [
        ("00:01:00;00", NTSC),  # a number that drop-frame skips
        ("10:00:00;00", Fraction(25)),  # no drop-frame at 25
        ("24:00:00:00", Fraction(25)),
        ("10:60:00:00", Fraction(25)),
        ("10:00:00:25", Fraction(25)),
        ("10:00:00", Fraction(25)),
        ("ten o'clock", Fraction(25)),
        ("", Fraction(25)),
    ],
)
def test_impossible_timecodes_are_refused(text: str, rate: Fraction) -> None:
    with pytest.raises((NotUnderstood, NotPossible)):
        Timecode.from_text(text, rate)


@pytest.mark.parametrize(
    ("rate", "start", "wanted"),
    [
        ("25", "10:00:00:00", "09:59:00:00"),
        ("23.976", "01:00:00:00", "00:59:00:00"),
        ("29.97", "01:00:00:00", "00:59:00:00"),
        ("59.94", "01:00:00:00", "00:59:00:00"),
        ("29.97", "01:00:00;00", "00:59:00;02"),
        ("59.94", "01:00:00;00", "00:59:00;04"),
        ("29.97", "00:50:30;11", "00:49:30;11"),
        ("29.97", "00:51:00;02", "00:50:00;02"),
        ("25", "00:00:30:00", "23:59:30:00"),
    ],
)
def test_a_minute_earlier_is_counted_in_numbers(rate: str, start: str, wanted: str) -> None:
    assert str(Timecode.from_text(start, NAMED_RATES[rate]).seconds_earlier(60)) == wanted
    assert counted_frames(20, NAMED_RATES["29.97"]) == 600


@pytest.mark.parametrize(
    ("start", "rate"),
    [("09:59:50:12", Fraction(25)), ("01:00:59;10", NTSC), ("01:00:59:10", NTSC), ("23:59:58;00", 2 * NTSC)],
)
def test_a_count_is_marked_where_whole_seconds_begin(start: str, rate: Fraction) -> None:
    """Held against the texts of every frame."""
    begins = Timecode.from_text(start, rate)
    for step, first, last in ((1, 0, 400), (5, 70, 900)):
        texts = {n: str(begins + n).replace(";", ":") for n in range(first, last + 1)}
        before = str(begins + (first - 1)).replace(";", ":")[:8]
        wanted = []
        for n, text in texts.items():
            if text[:8] != before and int(text[6:8]) % step == 0:
                wanted.append(n)
            before = text[:8]
        assert [n for n, timecode in begins.whole_seconds(step, first, last)] == wanted
        assert all(str(begins + n) == str(timecode) for n, timecode in begins.whole_seconds(step, first, last))
