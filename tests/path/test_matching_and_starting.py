"""Clips against sources, and templates begun from clips and deliveries: what must hold for every standard format."""

from __future__ import annotations

import pytest
from tests.conftest import demo_template

from idle_quarry.path.beginning.beginnings import from_clip, monitor_for, working_codec, working_from
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.codecs import cannot_hold
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.findings.monitoring import acceptable_formats, refusals
from idle_quarry.path.matching import match
from idle_quarry.path.registry import codecs, deliveries, monitors
from idle_quarry.path.steps import plan
from idle_quarry.path.template_parts import Source
from idle_quarry.signal.catalogue import standard_formats
from idle_quarry.signal.words import format_from_words as words

LAMP = demo_template("The Lamp Room")


def test_a_source_is_found_for_what_it_is() -> None:
    for source in LAMP.sources:
        result = match(LAMP, source.format)
        assert result.source == source and result.grade == "exact" and result.findings == ()


@pytest.mark.parametrize(
    ("clip", "source", "codes"),
    [
        ("576i25 4:3 bff", "tapes", {"clip_depth", "clip_sampling"}),
        ("576i25 4:3 8bit 4:2:0", "tapes", {"clip_scan"}),  # upper field first: the label's own order
        ("576i25 4:3=720 bff 8bit 4:2:0", None, {"clip_no_source"}),
        ("1080i25", "scans", set()),  # files flag PsF as interlaced
        ("1080i25 8bit", "scans", {"clip_depth"}),
        ("1080p25", None, {"clip_no_source"}),
        ("2160p50 hlg", None, {"clip_no_source"}),
    ],
)
def test_what_differs_is_said(clip: str, source: str | None, codes: set[str]) -> None:
    result = match(LAMP, words(clip))
    assert (result.source.id if result.source else None) == source
    assert {finding.code for finding in result.findings} == codes
    assert all(finding.text.endswith(".") for finding in result.findings)


def test_thirty_against_twenty_nine_ninety_seven() -> None:
    seven = edited(demo_template("Sheet Seven"), Edit("sources.fixed.format", words("1080p29.97")))
    result = match(seven, words("1080p30.00"))
    assert result.source is None and result.findings[0].code == "clip_rate_near_miss"


def test_without_sources_everything_is_a_stranger() -> None:
    bare = edited(LAMP, Edit("sources", ()))
    result = match(bare, words("1080i25"))
    assert result.source is None and result.grade == "exact"


@pytest.mark.parametrize("each", standard_formats(), ids=lambda each: each.words)
def test_a_template_can_begin_from_a_clip_in_any_standard_format(each: object) -> None:
    fmt = each.format  # type: ignore[attr-defined]
    working = working_from(fmt)
    template = from_clip("a clip", fmt, working)
    result = evaluate(template)
    assert not [f for f in result.findings if f.severity == "stop"], result.findings
    link = result.link_of("source:a-clip")
    assert link is not None and link.grade in ("exact", "clean")
    assert cannot_hold(codecs()[working_codec(working)], working) == ()


@pytest.mark.parametrize("monitor", monitors().values(), ids=lambda monitor: monitor.id)
def test_what_a_monitor_is_offered_it_shows(monitor: object) -> None:
    for standard_format in standard_formats():
        options = acceptable_formats(monitor, standard_format.format)  # type: ignore[arg-type]
        assert options
        assert all(not refusals(monitor, option) for option in options)  # type: ignore[arg-type]
        if not refusals(monitor, standard_format.format):  # type: ignore[arg-type]
            assert plan(standard_format.format, options[0]).grade in ("exact", "clean")


@pytest.mark.parametrize(
    ("monitor", "shown", "black"),
    [
        ("bay-two-grade", "1080psf25", "1080p25"),
        ("bay-two-grade", "1080p50", "2160p50 hlg"),
        ("suite-sdr", "1080p25", "1080p50 hlg"),
        ("bay-three-hdr", "2160p50 hlg", "576i25"),
        ("bay-one-tube", "576i25", "1080i25"),
        ("lounge", "1080p59.94", "1080p50"),
    ],
)
def test_the_five_monitors(monitor: str, shown: str, black: str) -> None:
    device = monitors()[monitor]
    assert refusals(device, words(shown)) == () and refusals(device, words(black))


def test_a_monitor_is_found_for_every_broadcast_format() -> None:
    for name in ("1080i25", "1080p25", "1080p50", "2160p50 hlg", "576i25", "1080i29.97", "1080p59.94"):
        feed = monitor_for(words(name))
        assert feed is not None and not refusals(monitors()[feed.monitor], feed.format)


@pytest.mark.parametrize("standard", deliveries())
def test_deliveries_carry_their_standard(standard: str) -> None:
    result = delivered(standard)
    data = deliveries()[standard]
    assert (
        result.format == data.signal and result.codec == data.codec and result.line_up_dbfs == data.sound.line_up_dbfs
    )
    slow = delivered(standard, rate_of=words("1080p50"))
    assert slow.format.rate == (50 if data.follows_rate else data.signal.rate)


def test_shares_and_weights_do_not_change_what_a_clip_is() -> None:
    two = edited(LAMP, Edit("sources.more", Source(id="more", name="More", format=words("1080p25"), share=1)))
    assert match(two, words("1080p25")).source is not None
