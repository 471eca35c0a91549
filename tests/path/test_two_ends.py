"""Working formats between two ends: what must come first, what is never hidden, and how the reasons add up."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from idle_quarry.errors import NotPossible, NotUnderstood
from idle_quarry.path.beginning.beginnings import working_codec
from idle_quarry.path.beginning.delivering import delivered
from idle_quarry.path.beginning.shares import rounded_to, with_another
from idle_quarry.path.beginning.two_ends import (
    candidates,
    delivery_from_words,
    shared_out,
    source_from_words,
    suggested,
    taken_up,
)
from idle_quarry.path.changes.edits import edited
from idle_quarry.path.codecs import mbps
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.grades import GRADES
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import codecs, deliveries
from idle_quarry.path.template_parts import Delivery, Source
from idle_quarry.signal.words import format_from_words as words
from idle_quarry.signal.words import format_words


def ends(sources: list[str], outs: list[str]) -> tuple[list[Source], list[Delivery]]:
    result: list[Source] = []
    for text in sources:
        result.append(source_from_words(text, result))
    going: list[Delivery] = []
    for text in outs:
        going.append(delivery_from_words(text, going))
    return result, going


@pytest.mark.parametrize(
    ("sources", "outs", "first"),
    [
        (["1080i25"], ["hd-50"], "1080i25"),
        (["1080p25"], ["hd-50-psf"], "1080p25"),
        (["2160p50 hlg=80", "576i25 bff 8bit=20"], ["uhd-50", "hd-50"], "2160p50 hlg"),
        (["576i25 4:3=65", "1080psf25=35"], ["hd-50", "sd-50"], "1080i25"),
        (["1080i29.97=70", "1080p59.94=30"], ["hd-59"], "1080i29.97"),
        (["480i29.97 4:3"], ["sd-59"], "480i29.97 4:3"),
        (["1080p23.976"], ["1080p23.976"], "1080p23.976"),
    ],
)
def test_the_house_would_work_in_the_first(sources: list[str], outs: list[str], first: str) -> None:
    result = suggested(*ends(sources, outs))
    assert format_words(result[0].working) == first


@pytest.mark.parametrize("standard", [d.id for d in deliveries().values() if not d.follows_rate])
def test_what_is_delivered_as_it_came_loses_nothing(standard: str) -> None:
    out = delivered(standard)
    source = Source(id="s", name="s", format=out.format, share=100)
    best = suggested([source], [out])[0]
    assert best.cost.broken == 0
    assert (best.working.raster.width, best.working.raster.height) == (
        out.format.raster.width,
        out.format.raster.height,
    )
    assert best.working.rate == out.format.rate


def test_the_order_is_broken_then_loss_then_data_and_every_reason_is_true() -> None:
    result = suggested(*ends(["2160p50 hlg=40", "1080i25=40", "1080p23.976=20"], ["uhd-50", "hd-50"]))
    keys = [(round(s.cost.broken, 6), round(s.cost.loss, 4), s.cost.gb_per_hour) for s in result]
    assert keys == sorted(keys) and len(result) > 15
    for place, item in enumerate(result):
        assert item.reasons[0].startswith("above" if place == 0 else "below")
        other = result[1] if place == 0 else result[place - 1]
        assert format_words(other.working, fields=True) in item.reasons[0]
        ids = [link.source for link in item.links if link.target == "working"]
        assert len(ids) == 3 and [link.target for link in item.links][-2:] == ["delivery:uhd-50", "delivery:hd-50"]
        assert item.grade == max((link.grade for link in item.links), key=GRADES.index)
        clean = all(link.plan.grade in ("exact", "clean") for link in item.links)
        assert (item.cost.loss == 0) == clean


def test_a_broken_link_ranks_last_and_is_shown() -> None:
    refusing = Source(id="a", name="a", format=words("1080p25"), share=60, policy=Policy(retime="refuse"))
    other = Source(id="b", name="b", format=words("1080p50"), share=40)
    result = suggested([refusing, other], ends([], ["1080p50"])[1])
    broken = [item.cost.broken > 0 for item in result]
    assert any(broken) and broken == sorted(broken)
    assert any("cannot be done" in reason for reason in result[-1].reasons)


def test_candidates_hold_the_ends_own_formats_and_both_rates_of_a_pair() -> None:
    sources, outs = ends(["1080p30.00=50", "1080p29.97=50"], ["web-landscape"])
    shown = {format_words(fmt) for fmt in candidates(sources, outs)}
    assert {"1080p30.00", "1080p29.97"} <= shown
    odd, out = ends(["1000x700p31"], ["hd-50"])
    assert any(fmt.raster.width == 1000 for fmt in candidates(odd, out))


def test_film_for_fields_is_worked_at_its_own_rate_and_pulled_down_at_the_end() -> None:
    """Cuts in a programme of 59.94 fields break the 2:3 in which film comes in."""
    sources, outs = ends(["1080p23.976=80", "1080i59.94=20"], ["1080i59.94"])
    ranked = suggested(sources, outs)
    assert format_words(ranked[0].working) == "1080p23.976"
    assert any("no cut breaks the cadence" in reason for reason in ranked[0].reasons)
    fields = next(item for item in ranked if format_words(item.working) == "1080i29.97")
    assert any("every cut breaks the cadence" in reason for reason in fields.reasons)
    mostly_video = suggested(*ends(["1080p23.976=20", "1080i59.94=80"], ["1080i59.94"]))
    assert format_words(mostly_video[0].working) == "1080i29.97"


def test_24_for_fields_is_offered_off_speed_beside_held() -> None:
    sources, outs = ends(["1080p24=100"], ["1080i59.94"])
    ways = [item for item in suggested(sources, outs) if format_words(item.working) == "1080p24"]
    assert [item.off_speed for item in ways] == [["1080i29-97"], []] and ways[0].cost.loss < ways[1].cost.loss / 5
    assert "by 2:3" in " ".join(ways[0].reasons) and "repeated" in " ".join(ways[1].reasons)
    template = taken_up(ways[0], "Film")
    assert template.deliveries[0].policy.retime == "slowed" and template.format_number == 5
    held = taken_up(ways[1], "Held")
    cure = next(f.remedy for f in evaluate(held).findings if f.code == "rate_mismatch")
    assert cure is not None and "2:3" in cure.label
    assert "rate_mismatch" not in {f.code for f in evaluate(edited(held, *cure.edits)).findings}


def test_one_is_taken_up_as_a_template_that_holds_together() -> None:
    sources, outs = ends(["576i25 4:3 bff 8bit=65", "1080psf25"], ["hd-50", "web-landscape"])
    best = suggested(sources, outs)[0]
    template = taken_up(best, "Lamp")
    assert [round(s.share) for s in template.sources] == [65, 35]
    result = evaluate(template)
    assert result.worst_grade != "broken" and result.station("working").format == best.working
    assert template.deliveries[1].format.rate in (25, 50)  # the web follows the programme


@pytest.mark.parametrize(
    ("text", "share", "fmt"),
    [
        ("1080i25=40", 40, "1080i25"),
        ("576i25 4:3=702", 0, "576i25 4:3"),
        ("576i25 4:3=65", 65, "576i25 4:3"),
        ("1080p25", 0, "1080p25"),
        ("1080p25=12,5 ", 12.5, "1080p25"),
    ],
)
def test_shares_in_words(text: str, share: float, fmt: str) -> None:
    result = source_from_words(text)
    assert (result.share, format_words(result.format)) == (share, fmt)


def test_what_cannot_be_shared_or_understood_is_refused() -> None:
    with pytest.raises(NotPossible, match="add up to 120"):
        shared_out([source_from_words("1080p25=60"), source_from_words("1080p50=60")])
    with pytest.raises(NotUnderstood, match="between 0 and 100"):
        source_from_words("1080p25=140")
    with pytest.raises(NotUnderstood, match="neither"):
        delivery_from_words("somewhere")
    with pytest.raises(NotPossible, match="two ends"):
        suggested([], [])


@given(st.lists(st.floats(0, 1000), min_size=1, max_size=12))
def test_shares_are_tenths_that_make_a_hundred(parts: list[float]) -> None:
    result = rounded_to(100, parts)
    assert round(sum(result), 6) == 100 and all(
        round(item * 10) == pytest.approx(item * 10, abs=1e-9) for item in result
    )
    whole = sum(parts)
    if whole > 1:
        assert all(abs(a - 100 * b / whole) <= 0.1 + 1e-9 for a, b in zip(result, parts, strict=True))
    assert round(sum(with_another(result)), 6) == 100


def test_a_web_delivery_follows_the_programme() -> None:
    """Whatever the largest source is: the delivery runs at what is worked in, and the template keeps that."""
    sources = [source_from_words("1080p59.94=80"), source_from_words("1080i25=20")]
    outs = [delivery_from_words("web-landscape"), delivery_from_words("hd-50")]
    for item in suggested(sources, outs)[:10]:
        result = taken_up(item, "New")
        moments = item.working.moments if item.working.moments <= 60 else item.working.rate
        assert result.deliveries[0].format.rate == moments


def test_default_codecs_are_what_plays_and_what_the_house_uses() -> None:
    fmt = words("2160p50 hlg")
    free = codecs()[working_codec(fmt)]
    assert free.rate.model != "share"  # of a data rate that is known
    slow = codecs()[working_codec(fmt, plays_mb_s=400.0)]
    assert mbps(slow, fmt) / 8 * 2 <= 400 * 0.8 and mbps(slow, fmt) < mbps(free, fmt)
    assert working_codec(fmt, ["avci-100", "rdd36-lt"]) == "rdd36-lt"  # the first of the house's that holds it
