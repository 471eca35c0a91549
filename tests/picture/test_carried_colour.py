"""Cubes and configs that other programs read: OpenColorIO makes of them what the conversion itself makes, as
closely as is said.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PyOpenColorIO
import pytest

from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.policies import Policy
from idle_quarry.picture.carried_colour import SIZES, config_of, cube_of, cubes_of
from idle_quarry.picture.colour import converted
from idle_quarry.signal.words import format_from_words as words
from tests.conftest import demo_template

SALT = demo_template("Saltmarsh Hours")


def through(cube_file: Path, rgb: np.ndarray) -> np.ndarray:
    transform = PyOpenColorIO.FileTransform(str(cube_file), interpolation=PyOpenColorIO.INTERP_LINEAR)
    cpu = PyOpenColorIO.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
    values = np.ascontiguousarray(rgb, np.float32)
    cpu.applyRGB(values)
    return values.astype(np.float64)


@pytest.mark.parametrize(
    ("source", "target"), [("576i25 4:3", "1080i25"), ("1080p25", "2160p25 hlg"), ("2160p25 pq", "1080p25")]
)
def test_another_reader_is_as_far_off_as_is_said(source: str, target: str, tmp_path: Path) -> None:
    a, b = words(source), words(target)
    errors = []
    for size in SIZES:
        cube = cube_of("lamp", a, b, Policy(), size)
        path = tmp_path / f"{size}.cube"
        path.write_text(cube.text())
        rgb = np.random.default_rng(1).random((20_000, 3))
        ends = ((e.encoding.primaries, e.encoding.transfer) for e in (a, b))
        off = np.abs(through(path, rgb) - np.clip(converted(rgb, *ends), 0, 1)) * (
            b.encoding.levels.white - b.encoding.levels.black
        )
        assert off.mean() == pytest.approx(cube.mean_codes, rel=0.15, abs=0.02)
        assert off.max() <= cube.worst_codes * 1.5 + 0.1
        on_points = through(
            path, np.stack(np.meshgrid(*[np.linspace(0, 1, size)[::4]] * 3, indexing="ij"), -1).reshape(-1, 3)
        )
        assert np.abs(on_points.reshape(cube.values[::4, ::4, ::4].shape) - cube.values[::4, ::4, ::4]).max() < 1e-5
        errors.append(cube.mean_codes)
    assert errors == sorted(errors, reverse=True)  # more points follow more closely


def test_a_config_names_the_stations_and_opens(tmp_path: Path) -> None:
    cubes = cubes_of(SALT, 17)
    assert [cube.name for cube in cubes] == [
        "Tape archive into the programme",
        "Bay 2 grading monitor out of the programme",
        "Network HD out of the programme",
    ]
    for cube in cubes:
        (tmp_path / f"{cube.name}.cube").write_text(cube.text())
    (tmp_path / "config.ocio").write_text(config_of(SALT, cubes))
    config = PyOpenColorIO.Config.CreateFromFile(str(tmp_path / "config.ocio"))
    config.validate()
    assert config.getMajorVersion() == 2
    grey = np.full((1, 3), 0.5, np.float32)
    for cube in cubes:
        ends = (cube.name, SALT.working.name) if "into" in cube.name else (SALT.working.name, cube.name)
        result = grey.copy()
        config.getProcessor(*ends).getDefaultCPUProcessor().applyRGB(result)
        assert result == pytest.approx(cube.values[8, 8, 8][None], abs=2e-3)  # the middle of 17 points


def test_links_that_leave_colour_alone_have_no_cube() -> None:
    assert cubes_of(demo_template("House HD 50i"), 17) == []
    left = edited(SALT, Edit("sources.tape.policy.colour", "leave"))
    tape = next(cube for cube in cubes_of(left, 17) if cube.name.startswith("Tape"))
    assert tape.worst_codes < 1e-9 and np.allclose(tape.values[3, 5, 7], (3 / 16, 5 / 16, 7 / 16))


def test_scene_linear_is_light_or_is_not_there() -> None:
    """BT.709, item 1.2, by its own formula; what says other than a camera's curve has no such role."""
    patches = np.array([[0.02, 0.081, 0.5], [0.18, 0.75, 1.0]])
    wanted = np.where(patches < 0.081, patches / 4.5, ((patches + 0.099) / 1.099) ** (1 / 0.45))
    template = edited(SALT, Edit("working.format", words("1080p25")))
    config = PyOpenColorIO.Config.CreateFromStream(config_of(template, []))
    config.validate()
    assert config.getColorSpace("scene_linear").getEncoding() == "scene-linear"
    result = np.ascontiguousarray(patches, np.float32)
    config.getProcessor(template.working.name, "scene_linear").getDefaultCPUProcessor().applyRGB(result)
    np.testing.assert_allclose(result, wanted, atol=2e-4)
    for name in ("1080p25 pq", "1080p25 hlg"):
        other = edited(SALT, Edit("working.format", words(name)))
        assert not PyOpenColorIO.Config.CreateFromStream(config_of(other, [])).hasRole("scene_linear")
