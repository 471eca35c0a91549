"""The bench: charts of known truth, what figures say of known faults, where differences are found, what material is."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np
import pytest
from tests.conftest import CLIPS, demo_template
from tests.oracles import colour

from idle_quarry.media.looking import look
from idle_quarry.media.material import ChartMaterial, ClipMaterial
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.comparing import methods_for, questions
from idle_quarry.path.policies import POLICY_PARTS, Method, Policy, parts
from idle_quarry.path.settings import settings_on, with_setting
from idle_quarry.path.steps import ScanStep, plan
from idle_quarry.picture.colour import TONES
from idle_quarry.picture.fields import DEINTERLACERS
from idle_quarry.picture.figures import banding, combing, delta_e_itp, judder_ms, outside, response, twitter
from idle_quarry.picture.kernels import KERNELS
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.patterns.charts import CHARTS, chart_frame, chart_truth, drawn, grid_of
from idle_quarry.picture.planes import to_rgb
from idle_quarry.picture.rounding import PRECISIONS, ROUNDINGS
from idle_quarry.proof.bench import Bench
from idle_quarry.proof.figures import difference, greatest_difference, judder, luma_of
from idle_quarry.signal import Raster, format_from_words
from idle_quarry.signal.formats import SignalFormat


def small(words: str, width: int = 192, height: int = 108, **encoding: Any) -> SignalFormat:
    return replace(format_from_words(words), raster=Raster(width, height)).with_encoding(**encoding)


def policy(**part: Any) -> Policy:
    return Policy(**part)


def figures(bench: Bench, chosen: Policy, index: int = 3) -> dict[str, float]:
    return {figure.name: figure.value for figure in bench.figures(bench.still(chosen, index))}


def test_every_method_of_the_policy_is_one_that_pictures_can_be_made_by() -> None:
    """Methods are data; what computes them are registries: neither has one that the other lacks."""
    ids = {name: {method.id for method in part.method} for name, part in parts().items()}
    assert ids["kernel"] == set(KERNELS) and ids["rounding"] == set(ROUNDINGS)
    assert ids["scan"] - {"leave"} == set(DEINTERLACERS) and ids["tone"] == set(TONES)
    assert ids["precision"] == set(PRECISIONS) and ids["mix"] == {"distance", "box", "triangle", "gaussian"}
    for name, part in parts().items():
        assert name in POLICY_PARTS
        for method in part.method:
            assert Policy().with_parts(**{name: method.id})
            assert method.text.count(".") >= 2 and method.text.endswith("."), method.id  # two sentences each


@pytest.mark.parametrize("chart", CHARTS)
@pytest.mark.parametrize("words", ["1080i25", "1080p50"])
def test_a_chart_at_its_own_format_is_its_own_truth(chart: str, words: str) -> None:
    """Nothing is converted: what the camera gave differs from the truth by its codes and its halved chroma alone."""
    fmt = small(words, sampling="4:4:4")
    result = to_rgb(chart_frame(chart, fmt, 2), fmt.encoding)
    truth = chart_truth(chart, Conversion(fmt, fmt, Policy()), 2)
    assert min(psnr_db(a, b) for a, b in zip(result, truth, strict=True)) > 48
    assert float(np.ptp(truth[1])) > 0.5


def test_charts_move_evenly_and_leave_out_what_is_too_fine() -> None:
    fmt = small("1080p50")
    grid = grid_of(fmt)
    first, second = drawn("crawl", grid, 0.0)[0], drawn("crawl", grid, 0.02)[0]
    assert np.abs(first - second).max() > 0.1
    coarse = replace(grid, fine_down=grid.fine_down / 2, fine_across=grid.fine_across / 2)
    zone = drawn("zone", coarse, 0.0)[0]
    beyond = np.abs(fmt.raster.height * grid.down[:, 0]) > coarse.fine_down
    np.testing.assert_allclose(zone[beyond], 0.5)  # grey where half of the lines could not show it
    assert np.ptp(zone[~beyond]) > 0.7


def test_resolution_and_aliasing_are_those_a_filter_must_have() -> None:
    """Halving lines keeps at most half of them; nearest aliases, and a wider kernel keeps more than a narrow one."""
    source, target = small("1080p25", 480, 270), small("1080p25", 240, 135)
    result = {name: response(Conversion(source, target, policy(kernel=name))) for name in KERNELS}
    assert all(item.lines <= 136 for item in result.values())
    assert result["nearest"].aliasing > 4 * max(
        result[k].aliasing for k in ("bilinear", "gaussian", "lanczos4", "bicubic")
    )
    assert result["gaussian"].lines < result["bilinear"].lines < result["lanczos3"].lines
    for soft in ("bilinear", "gaussian", "area", "nearest"):
        assert result[soft].overshoot < 0.1 < result["lanczos3"].overshoot


def test_figures_of_known_faults() -> None:
    lines = np.zeros((40, 60))
    lines[1::2, 20:40] = 1
    assert combing(lines) == pytest.approx(20 / 60, abs=0.01)  # a third of the width is a comb
    assert combing(np.tile(np.linspace(0, 1, 60), (40, 1))) == 0 and combing(lines.repeat(2, axis=0)) == 0
    single = np.zeros((41, 10))
    single[20] = 1  # one line: a half there, a quarter at each neighbour, of 39 lines
    assert twitter(single) == pytest.approx(100 * np.sqrt((0.25 + 2 * 0.0625) / 39))
    even = [Fraction(n, 25) for n in range(50)]
    assert judder_ms([t + Fraction(1, 10) for t in even], even) == pytest.approx(0)
    # 24 in 60 by 2:3: pictures are late by 0, 1/60, 2/60 − 1/24 … ; by hand
    shown = [Fraction(n * 2 // 5, 24) for n in range(60)]
    wanted = [Fraction(n, 60) for n in range(60)]
    off = np.array([float(a - b) * 1000 for a, b in zip(shown, wanted, strict=True)])
    assert judder_ms(shown, wanted) == pytest.approx(off.std())
    ramp = np.tile(np.repeat(np.arange(64, 80), 7), (4, 1))
    assert banding(ramp) == (7, 1.0)


def test_delta_e_itp_is_that_of_another_library() -> None:
    rng = np.random.default_rng(2)
    a, b = rng.random((200, 3)) * 800, rng.random((200, 3)) * 800
    theirs = colour.difference.delta_E_ITP(
        colour.RGB_to_ICtCp(a, method="ITU-R BT.2100-2 PQ"), colour.RGB_to_ICtCp(b, method="ITU-R BT.2100-2 PQ")
    )
    np.testing.assert_allclose(delta_e_itp(list(a.T), list(b.T)), theirs, rtol=2e-3, atol=0.05)


def test_what_lies_outside_is_counted() -> None:
    wide, narrow = small("2160p50 hlg"), small("1080p50")
    green = (np.zeros((4, 4)), np.full((4, 4), 0.5), np.zeros((4, 4)))
    grey = (np.full((4, 4), 0.4),) * 3
    half = tuple(np.concatenate([a, b]) for a, b in zip(green, grey, strict=True))
    assert outside(half, wide, narrow).gamut == pytest.approx(0.5)
    assert outside(grey, wide, narrow).gamut == 0 == outside(grey, wide, narrow).clipped


def test_the_right_order_and_better_methods_have_better_figures() -> None:
    bench = Bench(ChartMaterial("crawl", small("1080i25", 384, 216)), small("1080p50", 512, 288))
    result = {method: figures(bench, policy(scan=method)) for method in ("leave", "drop", "interpolate", "compensated")}
    truth = {method: item["PSNR to the truth"] for method, item in result.items()}
    assert truth["leave"] < truth["drop"] < truth["interpolate"] < truth["compensated"]
    assert result["leave"]["combing"] > 5 * max(result["interpolate"]["combing"], 1e-6)
    assert all(item["cost here"] > 0 for item in result.values())
    rates = Bench(ChartMaterial("crawl", small("1080p59.94")), small("1080p50"))
    assert figures(rates, policy(retime="nearest"))["judder"] > 4
    assert figures(rates, policy(retime="compensated"))["judder"] == pytest.approx(0, abs=1e-6)


def test_depth_and_colour_have_theirs() -> None:
    bench = Bench(
        ChartMaterial("ramps", small("1080p25", sampling="4:4:4")), small("1080p25", bit_depth=8, sampling="4:4:4")
    )
    assert (
        figures(bench, policy(rounding="truncate"))["PSNR to the truth"]
        < figures(bench, policy(rounding="round"))["PSNR to the truth"]
    )
    wide = Bench(ChartMaterial("bars", small("2160p50 hlg")), small("1080p50"))
    left, done = figures(wide, policy(colour="leave")), figures(wide, policy(colour="convert"))
    assert left["ΔE ITP"] > done["ΔE ITP"] and done["outside the gamut"] > 0


def test_questions_are_those_the_link_asks() -> None:
    tape, hd, uhd = format_from_words("576i25 4:3"), format_from_words("1080i25"), format_from_words("2160p50 hlg")
    assert questions(hd, hd, Policy()) == ()
    assert questions(tape, hd, Policy())[0] == "scan" and "kernel" in questions(tape, hd, Policy())
    assert "colour" in questions(uhd, hd, Policy()) and "scan" not in questions(uhd, hd, Policy())
    assert questions(hd, replace(hd, field_order="bottom"), Policy()) == ("order", "rounding")
    assert "fields" in methods_for("scan", tape, hd, Policy()) and "fields" not in methods_for(
        "scan", hd, uhd, Policy()
    )
    offered = methods_for("retime", format_from_words("1080p24"), format_from_words("1080p50"), policy(retime="blend"))
    assert offered[0] == "blend" and "refuse" not in offered


def test_stills_are_kept_and_the_place_of_greatest_difference_is_found() -> None:
    bench = Bench(ChartMaterial("wedge", small("1080p25", 640, 360)), small("1080p25", 320, 180))
    still = bench.still(Policy(), 4)
    assert bench.still(Policy(), 4) is still and bench.still_of(Policy(kernel="bilinear"), 4) is None
    assert still.shown.shape == (180, 320, 3) and still.seconds > 0
    assert luma_of(still.codes, bench.target).shape == (180, 320)
    changed = still.shown.copy()
    changed[100:110, 200:212] ^= 255
    place = greatest_difference([still.shown, changed], 32)
    assert place.x <= 200 and place.x + place.width >= 212 and place.y <= 100 and place.y + place.height >= 110
    apart = difference(still.shown, changed, 8)
    assert (apart[:90] == 128).all() and (apart[102, 205] != 128).any()
    assert greatest_difference([still.shown, still.shown]).amount == 0


def test_a_coarse_picture_is_like_the_still_it_stands_for() -> None:
    for words, target in (("2160p25", "1080p25"), ("576i25 4:3", "1080i25")):
        bench = Bench(ChartMaterial("wedge", format_from_words(words)), format_from_words(target))
        coarse, still = (
            bench.coarse(policy(scan="compensated", light="linear"), 1),
            bench.still(policy(scan="adaptive"), 1),
        )
        assert coarse is not None and coarse.coarse and coarse.shown.shape == still.shown.shape
        assert psnr_db(coarse.shown[::4, ::4], still.shown[::4, ::4], 255) > 22
    assert Bench(ChartMaterial("bars", small("1080i25")), small("576i25 4:3")).coarse(Policy(), 0) is None


def test_a_clip_lies_on_the_bench_as_it_is() -> None:
    clip = look(CLIPS / "lamp tape 014.mpg")
    material = ClipMaterial(clip)
    assert material.format.field_order == "bottom" and material.format.scan == "interlaced"
    frame = material.frame(10)
    assert frame[0].shape == (576, 720) and 0 <= float(frame[0].mean()) <= 1
    assert material.frame(-5)[0] is material.frame(0)[0]
    bench = Bench(material, format_from_words("1080i25"))
    assert bench.frames(Policy()) == material.frames
    still, other = bench.still(policy(scan="fields"), 5), bench.still(policy(scan="leave"), 5)
    against = {figure.name for figure in bench.figures(other, still)}
    assert "PSNR to the first" in against and not any("truth" in name for name in against)
    assert judder(bench.conversion(Policy())) == pytest.approx(0, abs=1e-9)
    material.close()


def test_a_method_is_one_entry_and_one_function(monkeypatch: pytest.MonkeyPatch) -> None:
    """A made-up deinterlacer goes through policy, settings, plan, picture and what Proof compares.

    Nothing else knows it.
    """
    entry = Method(id="flat", called="Flat grey", done="fields give way to grey", short="grey", text="Grey. Only grey.")
    scan = parts()["scan"]
    monkeypatch.setitem(parts(), "scan", replace(scan, method=(*scan.method, entry)))

    def flat(moments: Any, at: int, _order: str) -> Any:
        return tuple(np.full_like(plane, 0.5 if n == 0 else 0.0) for n, plane in enumerate(moments[at]))

    monkeypatch.setitem(DEINTERLACERS, "flat", flat)
    template = edited(demo_template("House HD 50i"), Edit("working.format", format_from_words("1080p25")))
    tape = template.sources[0]
    assert tape.format.scan == "interlaced"
    setting = next(s for s in settings_on(template, f"source:{tape.id}") if s.place.endswith("policy.scan"))
    assert "Flat grey" in setting.choices
    template = with_setting(template, setting, "Flat grey")
    chosen = template.sources[0].policy
    assert chosen.scan == "flat"
    step = plan(tape.format, template.working.format, chosen).step(ScanStep)
    assert step is not None and "fields give way to grey" in step.text
    source, target = small("1080i25"), small("1080p25")
    assert "flat" in methods_for("scan", source, target, chosen)
    result = Bench(ChartMaterial("zone", source), target).still(chosen, 2).shown
    assert int(np.ptp(result)) <= 2
