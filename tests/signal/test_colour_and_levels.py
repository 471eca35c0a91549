"""Colour and code values against colour-science, an area found by chance, and the standards' printed figures."""

from __future__ import annotations

import numpy as np
import pytest
from tests.oracles import colour

from idle_quarry.path.steps import plan
from idle_quarry.signal.colour import PRIMARIES, gamut_outside, pq_signal, triangle, uv
from idle_quarry.signal.interfaces import carriage
from idle_quarry.signal.levels import Levels, codes_lost
from idle_quarry.signal.rasters import Raster, SafeArea, safe_area, sd_pixel_aspect
from idle_quarry.signal.words import format_from_words

_NAMES = {
    "bt709": "ITU-R BT.709",
    "bt2020": "ITU-R BT.2020",
    "bt601-525": "SMPTE C",
    "bt601-625": "ITU-R BT.470 - 625",
    "p3": "P3-D65",
    "p3-dci": "DCI-P3",
}


@pytest.mark.parametrize("name", sorted(PRIMARIES))
def test_primaries_are_those_of_colour_science(name: str) -> None:
    ours, theirs = PRIMARIES[name], colour.RGB_COLOURSPACES[_NAMES[name]]
    np.testing.assert_allclose([ours.red, ours.green, ours.blue], theirs.primaries, atol=1e-9)
    np.testing.assert_allclose(ours.white, theirs.whitepoint, atol=1e-3)
    np.testing.assert_allclose(uv(ours.red), colour.xy_to_Luv_uv(np.array(ours.red)), atol=1e-12)


def test_transfers_are_those_of_colour_science() -> None:
    for luminance in (0.0, 0.1, 48.0, 203.0, 1000.0, 10000.0):
        assert pq_signal(luminance) == pytest.approx(float(colour.models.eotf_inverse_BT2100_PQ(luminance)), abs=1e-9)
    assert pq_signal(203) == pytest.approx(0.58, abs=0.005)  # BT.2408: reference white at 58 %


@pytest.mark.parametrize(
    ("source", "target"), [("bt2020", "bt709"), ("p3", "bt709"), ("bt709", "bt2020"), ("bt601-525", "bt709")]
)
def test_share_outside_agrees_with_counting_points(source: str, target: str) -> None:
    random = np.random.default_rng(7)
    weights = random.dirichlet((1, 1, 1), 200_000)
    points = weights @ np.array(triangle(source))

    def inside(corners: np.ndarray) -> np.ndarray:
        a, b, c = corners
        basis = np.linalg.inv(np.array([b - a, c - a]).T)
        s, t = basis @ (points - a).T
        return np.asarray((s >= 0) & (t >= 0) & (s + t <= 1))

    counted = 1 - inside(np.array(triangle(target))).mean()
    assert gamut_outside(source, target) == pytest.approx(counted, abs=0.005)


def test_code_values_as_printed() -> None:
    """BT.709-6 and BT.2100-2, table 9."""
    assert [(Levels(b, True).black, Levels(b, True).white) for b in (8, 10, 12)] == [(16, 235), (64, 940), (256, 3760)]
    assert (Levels(10, True).chroma_low, Levels(10, True).chroma_high) == (64, 960)
    assert (Levels(10, True).codes, Levels(8, True).codes, Levels(10, False).codes) == (877, 220, 1024)
    assert codes_lost(Levels(10, True), Levels(8, True)) == 657
    assert codes_lost(Levels(8, True), Levels(10, True)) == 0


@pytest.mark.parametrize(
    ("words", "total", "gbps", "interface"),
    [
        ("576i25", (864, 625), 0.27, "SD"),
        ("480i29.97", (858, 525), 0.27, "SD"),
        ("1080i25", (2640, 1125), 1.485, "HD"),
        ("1080psf23.976", (2750, 1125), 1.485 / 1.001, "HD"),
        ("1080p50", (2640, 1125), 2.97, "3G"),
        ("720p50", (1980, 750), 1.485, "HD"),
        ("576p50", (864, 625), 0.54, "SD 540"),
        ("480p59.94", (858, 525), 0.54, "SD 540"),
        ("2160p25", (5280, 2250), 5.94, "6G"),
        ("2160p50", (5280, 2250), 11.88, "12G"),
    ],
)
def test_interfaces_as_printed(words: str, total: tuple[int, int], gbps: float, interface: str) -> None:
    result = carriage(format_from_words(words))
    assert result is not None
    assert (result.total_samples, result.total_lines) == total
    assert result.gbps == pytest.approx(gbps, rel=1e-9)
    assert result.interface == interface


def test_what_no_interface_carries() -> None:
    assert carriage(format_from_words("4320p50 hlg")) is None
    assert carriage(format_from_words("1080x1920p25")) is None
    assert (
        carriage(format_from_words("1080p24 16bit 4:4:4")) is None
        and carriage(format_from_words("1080p24 12bit")) is not None
    )


def test_shapes_of_sd() -> None:
    assert float(sd_pixel_aspect(576, format_from_words("576i25").raster.display_aspect, 704)) == pytest.approx(12 / 11)
    assert float(sd_pixel_aspect(480, format_from_words("480i29.97").raster.display_aspect, 704)) == pytest.approx(
        10 / 11
    )
    assert safe_area(Raster(1920, 1080), "action") == SafeArea(67, 38, 1786, 1004)  # EBU R 95, table 1
    tape = safe_area(format_from_words("576i25").raster, "action")  # of the 702 samples that are picture
    assert (tape.x, tape.width) == (round(9 + 702 * 0.035), 720 - 2 * round(9 + 702 * 0.035))
    # 4:3 of 480 lines fills 704 samples, of 486 lines 711: neither leaves black in HD
    for text in ("480i29.97 16:9", "486i29.97 16:9"):
        assert plan(format_from_words(text), format_from_words("1080i29.97")).placement.unused == 0  # type: ignore[union-attr]
    assert safe_area(Raster(1920, 1080), "graphics") == SafeArea(96, 54, 1728, 972)
