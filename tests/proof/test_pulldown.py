"""Pulldown as a scan: planned as what it is, taken out of real and of made material without loss, and put in again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest
from tests.by_frames import pulled_down
from tests.conftest import CLIPS, demo_template

from idle_quarry.errors import MediaError
from idle_quarry.media.looking import look
from idle_quarry.media.material import ChartMaterial, ClipMaterial, PulledMaterial, clip_material
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.policies import DEFAULT_POLICY
from idle_quarry.path.settings import settings_on, with_setting
from idle_quarry.path.steps.pulldown import CADENCES, plan_through
from idle_quarry.proof.bench import Bench
from idle_quarry.signal.words import format_from_words as words

SEVEN = demo_template("Sheet Seven")


@dataclass
class Spread:
    """A chart's pictures, spread by a cadence, in the shape of a clip's material."""

    cadence: str
    carrier: str
    begins: int  # frames left out at the start, so that the cycle begins somewhere

    def __post_init__(self) -> None:
        self.format = words(self.carrier)
        share = CADENCES[self.cadence].share
        whole = words(f"{self.format.raster.width}x{self.format.raster.height}p{float(self.format.rate * share):.3f}")
        self.truth = ChartMaterial("pan", whole) if "pan" in _charts() else ChartMaterial(_charts()[0], whole)
        pictures = [self.truth.frame(n) for n in range(24)]
        order = self.format.field_order or "top"
        if CADENCES[self.cadence].fields:
            planes = [pulled_down([p[k] for p in pictures], self.cadence, order) for k in range(3)]
            self._frames = list(zip(*planes, strict=True))[self.begins :]
        else:
            lengths = {"2:2": (2, 2), "3:2": (3, 2)}[self.cadence]
            shown = [p for n, p in enumerate(pictures) for _ in range(lengths[n % 2])]
            self._frames = shown[self.begins :]
        self.frames, self.key, self.name, self.clip = len(self._frames), "k", "made", None

    def frame(self, index: int) -> Any:
        return self._frames[min(max(index, 0), self.frames - 1)]

    def close(self) -> None: ...


def _charts() -> list[str]:
    from idle_quarry.picture.patterns.charts import CHARTS

    return list(CHARTS)


@pytest.mark.parametrize(
    ("cadence", "carrier"),
    [("2:3", "640x480i29.97"), ("2:3:3:2", "640x480i29.97 bff"), ("2:2", "640x360p50"), ("3:2", "640x360p59.94")],
)
@pytest.mark.parametrize("begins", [0, 2, 3])
def test_every_picture_comes_back_as_it_went_in(cadence: str, carrier: str, begins: int) -> None:
    spread = Spread(cadence, carrier, begins)
    out = PulledMaterial(spread, cadence)  # type: ignore[arg-type]
    assert out.format.rate == spread.format.rate * CADENCES[cadence].share and out.format.scan == "progressive"
    result = [out.frame(n) for n in range(out.frames)]
    first = (
        next(n for n in range(8) if np.array_equal(spread.truth.frame(n)[0], result[1][0])) - 1
    )  # where the first whole one is
    for n in range(1, min(out.frames, 14)):
        for ours, theirs in zip(result[n], spread.truth.frame(first + n), strict=True):
            np.testing.assert_array_equal(ours, theirs)


def test_a_clip_of_film_at_video_rate_is_laid_without_its_repeats() -> None:
    clip = look(CLIPS / "stone film night.mp4")
    assert clip.measured is not None and clip.measured.fields is not None and clip.measured.fields.cadence == "3:2"
    carrier = ClipMaterial(clip)
    material = clip_material(clip, "3:2")
    assert isinstance(material, PulledMaterial) and material.frames == pytest.approx(carrier.frames * 2 / 5, abs=1)

    def steps(of: ClipMaterial | PulledMaterial, count: int) -> list[float]:
        return [float(np.abs(of.frame(n + 1)[0] - of.frame(n)[0]).mean()) for n in range(count)]

    moving = steps(material, 20)
    assert (
        min(moving) > 3 * sorted(steps(carrier, 40))[12]
    )  # every picture is another, where three of five were repeats
    assert Bench(material, words("1080p23.976")).source.rate == material.format.rate
    assert isinstance(clip_material(clip, "2:3"), ClipMaterial)  # over fields, of which it has none
    material.close()


def test_it_is_planned_as_what_it_is() -> None:
    tape, working = words("1080i29.97"), words("1080p23.976")
    assert plan_through(tape, working, DEFAULT_POLICY).grade == "lossy"
    out = plan_through(tape, working, DEFAULT_POLICY, out="2:3")
    assert out.grade == "exact" and "nothing is lost" in out.steps[0].text
    back = plan_through(working, tape, DEFAULT_POLICY, into="2:3:3:2")
    assert (back.grade, len(back.steps)) == ("exact", 1) and "each stays whole" in back.steps[0].text
    assert plan_through(words("1080psf25"), working, DEFAULT_POLICY, out="2:3").grade == "broken"
    template = edited(
        SEVEN,
        Edit("sources.fixed.pulldown", "2:3"),
        Edit("working.format", working),
        Edit("deliveries.hd-59.pulldown", "2:3"),
    )
    result = evaluate(template)
    assert {link.source: link.grade for link in result.links}["source:fixed"] == "exact"
    delivered = result.link_to("delivery:hd-59")
    assert delivered is not None and "put in" in delivered.steps[-1].text
    assert not [f for f in result.findings if f.where == "source:fixed" and f.code == "deinterlaced"]
    [setting] = [s for s in settings_on(template, "source:fixed") if s.label == "Pulldown"]
    assert "taken out" in setting.follows
    assert with_setting(template, setting, "None").sources[0].pulldown == "none"
    assert not [s for s in settings_on(demo_template("Scope print 24"), "source:print") if s.label == "Pulldown"]


def test_what_cannot_be_pulled_apart_is_refused() -> None:
    with pytest.raises(MediaError, match="no pulldown of 2:3"):
        PulledMaterial(Spread("2:2", "640x360p50", 0), "2:3")  # type: ignore[arg-type]
