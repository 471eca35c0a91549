"""How a mix is weighed: by what of a curve lies in each picture's time, against the integral itself and pictures of
known truth.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest
from scipy.integrate import quad

from idle_quarry.path.comparing import questions
from idle_quarry.path.policies import Policy
from idle_quarry.path.settings.formats import policy_settings
from idle_quarry.path.steps import RateStep, plan
from idle_quarry.path.steps.cadence import ribbon, weights_at
from idle_quarry.picture.link import Conversion
from idle_quarry.signal.words import format_from_words as words

CURVES: dict[str, Callable[[float], float]] = {
    "box": lambda x: float(abs(x) <= 0.5),
    "triangle": lambda x: max(0.0, 1 - abs(x)),
    "gaussian": lambda x: float(np.exp(-4 * np.log(2) * x * x)) if abs(x) <= 2 else 0.0,
}
RATES = [(50, 25), (Fraction(60000, 1001), Fraction(24000, 1001)), (25, 50), (25, Fraction(60000, 1001)), (30, 25)]


def _at(t: float, curve: Callable[[float], float], centre: float, width: float) -> float:
    return curve((t - centre) / width)


@pytest.mark.parametrize("mix", CURVES)
@pytest.mark.parametrize(("before", "after"), RATES)
@pytest.mark.parametrize("shutter", [90.0, 180.0, 360.0, 540.0])
def test_weights_are_the_curves_integrals(mix: str, before: Fraction, after: Fraction, shutter: float) -> None:
    curve, width = CURVES[mix], float(Fraction(before) / Fraction(after)) * shutter / 360
    for index in (0, 7, 41):
        result = dict(weights_at(Fraction(before), Fraction(after), mix, shutter, index))
        centre = (index + 0.5) * float(Fraction(before) / Fraction(after))
        wanted = {}
        for n in range(int(centre - 2 * width) - 2, int(centre + 2 * width) + 3):
            edges = sorted({n, n + 1, *(min(max(centre + k * width, n), n + 1) for k in (-1, -0.5, 0, 0.5, 1))})
            wanted[n] = sum(quad(_at, a, b, args=(curve, centre, width))[0] for a, b in pairwise(edges))
        total = sum(wanted.values())
        assert sum(result.values()) == pytest.approx(1, abs=1e-5)
        for n, weight in wanted.items():
            assert result.get(n, 0.0) == pytest.approx(weight / total, abs=0.004), (index, n)


def test_pictures_are_mixed_by_them() -> None:
    source, target = words("64x64p50"), words("64x64p25")
    frames = [
        tuple(np.full((64, 64 if k == 0 else 32), 0.01 * n + 0.1 * k, np.float32) for k in range(3)) for n in range(60)
    ]
    for mix, shutter, wanted in (("box", 360.0, 0.205), ("box", 180.0, 0.205), ("triangle", 360.0, 0.205)):
        conversion = Conversion(source, target, Policy(retime="blend", mix=mix, shutter=shutter))
        result = conversion.frame(10, lambda n: frames[min(max(n, 0), 59)])[0]
        assert float(result.mean()) == pytest.approx(wanted, abs=1e-5)  # pictures 20 and 21, and as much on either side
    narrow = Conversion(source, words("64x64p100"), Policy(retime="blend", mix="box", shutter=360.0))
    assert float(narrow.frame(9, lambda n: frames[n])[0].mean()) == pytest.approx(
        0.04, abs=1e-6
    )  # it lies in one picture's time


def test_it_is_asked_said_and_drawn() -> None:
    source, target = words("1080p59.94"), words("1080p25")
    blend = Policy(retime="blend")
    assert "mix" in questions(source, target, blend) and "mix" not in questions(source, target, Policy())
    step = plan(source, target, Policy(retime="blend", mix="box", shutter=180)).step(RateStep)
    assert step is not None and "evenly over a shutter of 180°" in step.text and step.blended > 0
    assert Policy(mix="box").format_number == Policy(shutter=180).format_number == 4 and Policy().format_number == 1
    assert "mix" not in Policy().stored() and Policy(mix="box").stored()["mix"] == "box"
    labels = [policy_setting.label for policy_setting in policy_settings("p", "s", Policy(retime="blend", mix="box"))]
    assert "Mix weighed" in labels and "Shutter" in labels
    assert "Mix weighed" not in [item.label for item in policy_settings("p", "s", Policy())]
    cells = ribbon(Fraction(50), Fraction(25), "blend", 4, "box", 360.0)
    assert [(cell.kind, cell.source) for cell in cells[:2]] == [
        ("blended", Fraction(1, 2)),
        ("blended", Fraction(5, 2)),
    ]


def test_what_lies_between_conversions_is_kept_as_is_said() -> None:
    """Against the same conversion in floats: single is it, half is near, whole numbers add their rounding each time."""
    source, target = words("180x120p50 10bit"), words("120x80p25 10bit")
    colours = np.random.default_rng(3).random((60, 120, 180)).astype(np.float32)

    def frames(n: int) -> tuple[np.ndarray, ...]:
        luma = colours[min(max(n, 0), 59)]
        return luma, (luma[:, ::2] - 0.5) * 0.4, (0.5 - luma[:, ::2]) * 0.4

    result = {
        name: Conversion(source, target, Policy(retime="blend", precision=name)).frame(5, frames)[0]
        for name in ("single", "half", "whole")
    }
    off = {name: float(np.abs(plane - result["single"]).max()) for name, plane in result.items()}
    assert off["single"] == 0 < off["half"] < 0.002
    assert off["whole"] < 2.5 / 876 and np.abs(result["whole"] * 876 - np.rint(result["whole"] * 876)).max() < 1e-2
    assert "precision" in questions(source, target, Policy(retime="blend")) and "precision" not in questions(
        source, words("180x120p50 8bit"), Policy()
    )
