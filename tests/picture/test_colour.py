"""Colour against colour-science and the levels BT.2408 prints; round trips; what a tone curve must do."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import PyOpenColorIO
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from idle_quarry.picture.colour import (
    TO_LIGHT,
    converted,
    from_light,
    hdr_to_sdr,
    primaries_matrix,
    rgb_to_xyz,
    rolled_off,
    softened,
    to_light,
    white_kept,
)
from idle_quarry.picture.loops import colour as loops
from idle_quarry.picture.metrics import psnr_db
from idle_quarry.picture.recolouring import converted_planes, table
from idle_quarry.picture.transfers import hlg_to_scene, light_to_pq, pq_to_light, scene_to_hlg
from idle_quarry.signal.colour import (
    PRIMARIES,
    TRANSFERS,
    keeps_excursions,
    pq_signal,
    rolled_off_signal,
    tone_mapped_signal,
)
from tests.oracles import colour

_HALF_CODE_12 = 0.5 / 3504  # half a code of 12 bits, narrow range
_SPACES = {
    "bt709": "ITU-R BT.709",
    "bt2020": "ITU-R BT.2020",
    "p3": "P3-D65",
    "p3-dci": "DCI-P3",
    "bt601-625": "ITU-R BT.470 - 625",
    "bt601-525": "SMPTE 240M",
}


def random_rgb(count: int = 500) -> NDArray[np.float64]:
    return np.random.default_rng(7).random((count, 3))


@pytest.mark.parametrize("name", PRIMARIES)
def test_primaries_go_to_xyz_as_in_another_library(name: str) -> None:
    space = colour.RGB_COLOURSPACES[_SPACES[name]]
    wanted = colour.normalised_primary_matrix(space.primaries, np.array(PRIMARIES[name].white))
    np.testing.assert_allclose(rgb_to_xyz(name), wanted, atol=2e-4)
    np.testing.assert_allclose((rgb_to_xyz(name) @ np.ones(3))[1], 1, atol=1e-12)


@pytest.mark.parametrize("source", PRIMARIES)
@pytest.mark.parametrize("target", PRIMARIES)
def test_matrices_keep_white_and_have_inverses(source: str, target: str) -> None:
    there, back = primaries_matrix(source, target), primaries_matrix(target, source)
    np.testing.assert_allclose(there @ back, np.eye(3), atol=1e-12)
    np.testing.assert_allclose(there @ np.ones(3), np.ones(3), atol=1e-9)


def test_bt709_to_bt2020_is_the_matrix_bt2087_prints() -> None:
    printed = [[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]]
    np.testing.assert_allclose(primaries_matrix("bt709", "bt2020"), printed, atol=5e-5)


def test_curves_are_those_of_another_library() -> None:
    signal = np.linspace(0, 1, 257)
    np.testing.assert_allclose(pq_to_light(signal), colour.models.eotf_BT2100_PQ(signal), rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose(hlg_to_scene(signal), colour.models.oetf_inverse_BT2100_HLG(signal), atol=1e-7)
    rgb = random_rgb()
    theirs = colour.models.eotf_BT2100_HLG(rgb, L_B=0, L_W=1000, gamma=1.2)
    np.testing.assert_allclose(np.stack(to_light(list(rgb.T), "hlg"), -1), theirs, rtol=2e-4, atol=1e-3)
    np.testing.assert_allclose(TO_LIGHT["srgb"](signal) / 100, colour.models.eotf_sRGB(signal), atol=1e-9)
    np.testing.assert_allclose(
        TO_LIGHT["bt709"](signal) / 100, colour.models.eotf_BT1886(signal, L_B=0, L_W=1), atol=1e-9
    )
    # the scalar curve of `signal` is the same curve
    assert light_to_pq(np.array([203.0]))[0] == pytest.approx(pq_signal(203.0), abs=1e-12)
    light = np.array([0.01, 1 / 12, 0.26, 1.0])
    with np.errstate(invalid="ignore"):  # it takes the logarithm also where it does not use it
        theirs = colour.models.oetf_BT2100_HLG(light)
    np.testing.assert_allclose(scene_to_hlg(light), theirs, atol=1e-6)


@pytest.mark.parametrize("transfer", TRANSFERS)
def test_light_and_back_is_the_same_signal(transfer: str) -> None:
    rgb = random_rgb()
    back = from_light(to_light(list(rgb.T), transfer), transfer)
    assert np.abs(np.stack(back, -1) - rgb).max() < _HALF_CODE_12 / 10


def test_conversions_agree_with_another_library_within_half_a_12_bit_code() -> None:
    rgb = random_rgb()
    linear = colour.models.eotf_BT1886(rgb, L_B=0, L_W=1)
    wide = linear @ np.array(colour.matrix_RGB_to_RGB("ITU-R BT.709", "ITU-R BT.2020")).T
    wanted = colour.models.eotf_inverse_BT1886(np.clip(wide, 0, None), L_B=0, L_W=1)
    ours = converted(rgb, ("bt709", "bt709"), ("bt2020", "bt709"))
    assert np.abs(ours - np.clip(wanted, 0, 1)).max() < _HALF_CODE_12
    hlg = converted(rgb, ("bt2020", "pq"), ("bt2020", "hlg"), clip=False)
    light = np.asarray(colour.models.eotf_BT2100_PQ(rgb))
    dim = (light < 900).all(axis=1)
    with np.errstate(invalid="ignore"):  # it takes logarithms of what it then does not use
        theirs = colour.models.eotf_inverse_BT2100_HLG(light[dim], L_B=0, L_W=1000, gamma=1.2)
    assert np.abs(hlg[dim] - theirs).max() < 4 * _HALF_CODE_12  # their luminance has coefficients of four digits


def ocio(*transforms: PyOpenColorIO.Transform) -> Callable[[NDArray[np.float64]], NDArray[np.float64]]:
    """Return transforms one after the other as OpenColorIO does them."""
    group = PyOpenColorIO.GroupTransform()
    for transform in transforms:
        group.appendTransform(transform)
    processor = PyOpenColorIO.Config.CreateRaw().getProcessor(group)
    cpu = processor.getOptimizedCPUProcessor(PyOpenColorIO.OptimizationFlags.OPTIMIZATION_LOSSLESS)

    def apply(rgb: NDArray[np.float64]) -> NDArray[np.float64]:
        values = np.ascontiguousarray(rgb, np.float32)
        cpu.applyRGB(values)
        return values.astype(np.float64)

    return apply


def power(value: float, *, back: bool = False) -> PyOpenColorIO.Transform:
    way = (
        PyOpenColorIO.TransformDirection.TRANSFORM_DIR_INVERSE
        if back
        else PyOpenColorIO.TransformDirection.TRANSFORM_DIR_FORWARD
    )
    return PyOpenColorIO.ExponentTransform(
        [value] * 3 + [1.0], negativeStyle=PyOpenColorIO.NegativeStyle.NEGATIVE_CLAMP, direction=way
    )


def matrix(source: str, target: str, scale: float = 1.0) -> PyOpenColorIO.Transform:
    """Return colour-science's matrix between two sets of primaries, so that not even the matrix is ours."""
    spaces = [colour.RGB_COLOURSPACES[_SPACES[name]] for name in (source, target)]
    whites = [np.array(PRIMARIES[name].white) for name in (source, target)]
    there, back = (colour.normalised_primary_matrix(s.primaries, w) for s, w in zip(spaces, whites, strict=True))
    full = np.eye(4)
    full[:3, :3] = np.linalg.inv(back) @ there * scale
    return PyOpenColorIO.MatrixTransform(full.ravel().tolist())


_GAMMAS = {"bt709": 2.4, "gamma2.6": 2.6, "linear": 1.0}


@pytest.mark.parametrize(
    "source",
    [("bt601-625", "bt709"), ("bt601-525", "bt709"), ("bt709", "bt709"), ("p3", "gamma2.6"), ("bt709", "linear")],
)
@pytest.mark.parametrize(
    "target", [("bt709", "bt709"), ("bt2020", "bt709"), ("bt601-625", "bt709"), ("p3", "gamma2.6")]
)
def test_conversions_agree_with_opencolorio_within_half_a_12_bit_code(
    source: tuple[str, str], target: tuple[str, str]
) -> None:
    theirs = ocio(power(_GAMMAS[source[1]]), matrix(source[0], target[0]), power(_GAMMAS[target[1]], back=True))
    rgb = random_rgb(4000)
    ours = converted(rgb, source, target)
    if source == target:
        ours = np.clip(ours, 0, 1)
    # next to black the slope of a power law has no end: single precision is what theirs has there
    clear = (ours > 0.02) | (ours == 0)
    assert clear.mean() > 0.7
    assert np.abs(np.clip(theirs(rgb), 0, 1) - ours)[clear].max() < _HALF_CODE_12


def test_hdr_agrees_with_opencolorio_within_half_a_12_bit_code() -> None:
    """SDR white at 203 cd/m² in PQ (BT.2408), and PQ to HLG's scene light, by OpenColorIO's own curves."""
    rgb = random_rgb(4000)
    to_pq = PyOpenColorIO.BuiltinTransform("CURVE - LINEAR_to_ST-2084")  # 1.0 is 100 cd/m²
    theirs = ocio(power(2.4), matrix("bt709", "bt2020", 2.03), to_pq)(rgb)
    assert np.abs(converted(rgb, ("bt709", "bt709"), ("bt2020", "pq")) - theirs).max() < _HALF_CODE_12
    scene = ocio(PyOpenColorIO.BuiltinTransform("CURVE - HLG-OETF-INVERSE"))(rgb)
    np.testing.assert_allclose(
        hlg_to_scene(rgb) * scene.max() / hlg_to_scene(rgb).max(), scene, atol=2e-4 * scene.max()
    )


def test_white_is_placed_where_bt2408_says() -> None:
    white = np.ones(3)
    np.testing.assert_allclose(converted(white, ("bt709", "bt709"), ("bt2020", "hlg")), 0.75, atol=1e-3)
    np.testing.assert_allclose(converted(white, ("bt709", "bt709"), ("bt2020", "pq")), 0.58, atol=2e-3)
    # reference white of HLG is 203 cd/m² on the reference display, and so in PQ
    np.testing.assert_allclose(
        converted(np.full(3, 0.75), ("bt2020", "hlg"), ("bt2020", "pq")), pq_signal(203), atol=1e-3
    )


def test_the_tone_curve_rises_keeps_its_ends_and_keeps_greys_grey() -> None:
    grey = np.linspace(0, 1000, 400)
    toned = np.stack(hdr_to_sdr([grey, grey, grey]), -1)
    assert (np.diff(toned[:, 1]) >= 0).all()
    assert toned[0].max() == 0 and toned[-1].min() == pytest.approx(100, abs=0.2)
    np.testing.assert_allclose(toned[:, 0], toned[:, 2], atol=1e-6)
    for light in (1.0, 50.0, 203.0, 400.0, 900.0, 1000.0):  # the scalar of `signal`, written apart, is the same curve
        assert hdr_to_sdr([np.array([light])] * 3)[1][0] == pytest.approx(
            100 * tone_mapped_signal(light) ** 2.4, abs=1e-6
        )
        assert rolled_off([np.array([light])] * 3)[0][0] == pytest.approx(
            100 * rolled_off_signal(light) ** 2.4, abs=1e-6
        )
    soft, hard = rolled_off([grey] * 3)[0], white_kept([grey] * 3)[0]
    assert (np.diff(soft) >= 0).all() and (soft <= hard + 1e-9).all() and soft[-1] == pytest.approx(100)
    np.testing.assert_allclose(soft[grey < 87], hard[grey < 87], atol=1e-9)
    assert rolled_off_signal(203) == pytest.approx(0.903, abs=1e-3)
    shown = converted(random_rgb(), ("bt2020", "hlg"), ("bt709", "bt709"))
    assert shown.min() >= 0 and shown.max() <= 1 and np.isfinite(shown).all()


@given(st.lists(st.floats(0, 1), min_size=3, max_size=3))
@settings(max_examples=60, deadline=None)
def test_what_fits_comes_back(rgb: list[float]) -> None:
    """BT.709 fits inside P3 and BT.2020: there and back is the same, within half a 12-bit code."""
    values = np.array(rgb)
    for wide in (("bt2020", "bt709"), ("p3", "gamma2.6")):
        there = converted(values, ("bt709", "bt709"), wide)
        assert np.abs(converted(there, wide, ("bt709", "bt709")) - values).max() < 2e-3 + _HALF_CODE_12
    lit = converted(values, ("bt2020", "hlg"), ("bt2020", "pq"))
    assert np.abs(converted(lit, ("bt2020", "pq"), ("bt2020", "hlg")) - values).max() < 2e-3


_PAIRS = [
    (("bt601-625", "bt709"), ("bt709", "bt709")),
    (("bt2020", "hlg"), ("bt709", "bt709")),
    (("bt2020", "pq"), ("bt709", "bt709")),
    (("bt709", "bt709"), ("bt2020", "hlg")),
    (("bt709", "bt709"), ("bt2020", "pq")),
    (("bt2020", "hlg"), ("bt2020", "pq")),
    (("bt2020", "bt709"), ("bt709", "bt709")),
    (("bt709", "bt709"), ("p3", "gamma2.6")),
    (("bt709", "srgb"), ("bt709", "bt709")),
    (("bt709", "linear"), ("bt709", "bt709")),
]


@pytest.mark.parametrize("pair", _PAIRS, ids=lambda pair: " to ".join("/".join(each) for each in pair))
@pytest.mark.parametrize("soften", [False, True])
@pytest.mark.parametrize("tone", ["compress", "soft", "reference"])
def test_tables_are_as_exact_as_formulas(
    pair: tuple[tuple[str, str], tuple[str, str]], soften: bool, tone: str
) -> None:
    """Sub-black and super-white too: noise from −7 to 110 % in single precision against the formulas in float64, ≥
    90 dB.
    """
    rgb = np.random.default_rng(3).uniform(-0.07, 1.1, (90, 120, 3)).astype(np.float32)
    result = np.stack(converted_planes([rgb[..., n] for n in range(3)], *pair, soften=soften, tone=tone), -1)
    truth = converted(rgb, *pair, soften=soften, tone=tone)
    assert psnr_db(result.astype(np.float64), truth) > 90
    assert np.abs(result - truth).max() < 0.02, "nowhere two codes of eight bits and a half off"


def test_a_table_keeps_its_word() -> None:
    """Straight lines over 256 steps an octave: the error of a power is what its curvature says, over every octave a
    signal has.
    """
    values = np.geomspace(2.0**-40, 2.0**13, 200_001).astype(np.float32)[None, :]
    for power in (2.4, 1 / 2.4, 2.6, 1 / 2.6, 0.2):
        out = np.empty_like(values)
        loops.through(0, 1, values, table(lambda v, power=power: v**power), True, out)  # type: ignore[misc]
        truth = values.astype(np.float64) ** power
        bound = abs(power * (power - 1)) / (8 * 256**2)  # curvature times h²/8, of the value
        assert np.abs(out / truth - 1).max() < 1.05 * bound + 4e-7


def test_softening_keeps_luminance_and_hue_and_leaves_what_fits() -> None:
    light = np.random.default_rng(5).normal(50, 45, (3, 2000))
    soft = np.stack(softened(list(light), "bt709", 100.0))
    weights = rgb_to_xyz("bt709")[1]
    kept = np.clip(weights @ light, 0, 100)
    np.testing.assert_allclose(weights @ soft, kept, atol=1e-6)
    assert soft.min() > -1e-6 and soft.max() < 100 + 1e-6
    inside = ((light >= 0) & (light <= 100)).all(axis=0)
    np.testing.assert_allclose(soft[:, inside], light[:, inside])
    before, after = light - kept, soft - kept  # the same direction from grey, only nearer
    cross = np.cross(before.T[~inside], after.T[~inside])
    assert np.abs(cross).max() < 1e-6


def test_reference_white_lands_where_it_is_said_to_and_stays_where_it_is_kept() -> None:
    """75 % HLG is 203 cd/m² (BT.2408): bent it comes to 68.7 %, kept it is white, and SDR comes back as it was."""
    white, hlg, sdr = np.full(3, 0.75), ("bt2020", "hlg"), ("bt709", "bt709")
    np.testing.assert_allclose(converted(white, hlg, sdr), 0.687, atol=1e-3)
    np.testing.assert_allclose(converted(white, hlg, sdr, tone="reference"), 1.0, atol=1e-3)
    rgb = random_rgb(200)
    for hdr in (hlg, ("bt2020", "pq")):
        back = converted(converted(rgb, sdr, hdr), hdr, sdr, tone="reference")
        assert np.abs(back - rgb).max() < 2e-3


def test_sub_black_and_super_white_go_through_where_the_transfer_stays() -> None:
    """Codes 46 and 984 of 10 bits, a step of PLUGE and super-white: in every gamut, by strips too, softened or not."""
    codes = np.array([46, 64, 940, 984])
    grey = np.repeat(((codes - 64) / 876)[:, None], 3, axis=1)
    for source, target in (("bt601-625", "bt709"), ("bt601-525", "bt709"), ("bt709", "bt2020"), ("bt2020", "bt709")):
        for soften in (False, True):
            result = converted(grey, (source, "bt709"), (target, "bt709"), soften=soften)
            np.testing.assert_array_equal(np.rint(64 + 876 * result[:, 1]).astype(int), codes)
    # a colour outside the gamut is no excursion: it is clipped at black and white as before
    green = converted(np.array([0.0, 1.0, 0.0]), ("bt2020", "bt709"), ("bt709", "bt709"))
    assert green.min() == 0 and green.max() == 1
    assert not keeps_excursions("hlg", "hlg") and not keeps_excursions("bt709", "gamma2.6")
    assert converted(grey, ("bt709", "bt709"), ("p3", "gamma2.6")).max() == 1
