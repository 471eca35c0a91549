"""Colour to carry: what a link does to colour as a cube for other programs, and a config that names a template's
stations.

A cube maps R′G′B′ 0 to 1 (black to white, or to the peak in HDR) of one encoding to another's, as `colour.converted`
does it. Of what lies between its points programs interpolate; how far that is from the exact conversion is measured and
said in codes.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.path.evaluate import stations_of
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.policies import Policy
from idle_quarry.path.template import Template
from idle_quarry.picture.colour import converted
from idle_quarry.signal.formats import Encoding, SignalFormat
from idle_quarry.signal.words import format_words

#: Points along each side of a cube that can be chosen.
SIZES = (17, 33, 65)
_SAMPLES = 20_000


@dataclass(frozen=True)
class Cube:
    """A link's colour: `values` (size, size, size, 3), red outermost.

    How far its interpolation is off, in codes of the target.
    """

    name: str
    source: str
    target: str
    values: NDArray[np.float64]
    worst_codes: float
    mean_codes: float

    @property
    def size(self) -> int:
        return int(self.values.shape[0])

    @property
    def error_words(self) -> str:
        """Return how far it is off, as one says it."""
        return f"{self.mean_codes:.2g} codes off on average, {self.worst_codes:.2g} at the most"

    def text(self) -> str:
        """Return it as a .cube file: the title, the size, and its points with red changing fastest."""
        head = [
            f'TITLE "{self.name}"',
            f"# {self.source} to {self.target}; linear between its points {self.error_words}",
            f"LUT_3D_SIZE {self.size}",
            "DOMAIN_MIN 0 0 0",
            "DOMAIN_MAX 1 1 1",
        ]
        rows = self.values.transpose(2, 1, 0, 3).reshape(-1, 3)
        return "\n".join([*head, *(" ".join(f"{value:.7f}" for value in row) for row in rows)]) + "\n"


def cube_of(name: str, source: SignalFormat, target: SignalFormat, policy: Policy, size: int = 33) -> Cube:
    """Return the cube of what a link does to colour.

    Raises `KeyError` for primaries or transfers that are not known.
    """
    a, b = source.encoding, target.encoding
    axis = np.linspace(0, 1, size)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    values = _exact(grid, a, b, policy)
    asked = _asked()
    from scipy.interpolate import RegularGridInterpolator  # takes half a second to load

    between = RegularGridInterpolator((axis, axis, axis), values)(asked)
    levels = b.levels
    off = np.abs(between - _exact(asked, a, b, policy)) * (levels.white - levels.black)
    return Cube(name, format_words(source), format_words(target), values, float(off.max()), float(off.mean()))


def _exact(rgb: NDArray[Any], source: Encoding, target: Encoding, policy: Policy) -> NDArray[np.float64]:
    if policy.colour == "leave":
        return np.asarray(rgb, np.float64)
    ends = (source.primaries, source.transfer), (target.primaries, target.transfer)
    return np.clip(converted(rgb, *ends, soften=policy.colour == "soften", tone=policy.tone), 0, 1)


@lru_cache(maxsize=1)
def _asked() -> NDArray[np.float64]:
    """Return R′G′B′ at which cubes are held against the exact conversion: anywhere, and greys."""
    some = np.random.default_rng(2026).random((_SAMPLES, 3))
    return np.concatenate([some, np.repeat(np.linspace(0, 1, 1024)[:, None], 3, axis=1)])


def cubes_of(template: Template, size: int) -> list[Cube]:
    """Return a cube for each link of a template that changes colour: sources into the programme, it into all else."""
    cubes, working = [], template.working.format
    policies = {f"source:{source.id}": source.policy for source in template.sources}
    policies |= {f"delivery:{delivery.id}": delivery.policy for delivery in template.deliveries}
    if template.monitor is not None:
        policies["monitor"] = template.monitor.policy
    names: set[str] = set()
    for station in stations_of(template):
        policy = policies.get(station.id)
        ends = (station.format, working) if station.kind == "source" else (working, station.format)
        colours = [(end.encoding.primaries, end.encoding.transfer) for end in ends]
        if policy is None or colours[0] == colours[1]:
            continue
        way = "into the programme" if station.kind == "source" else "out of the programme"
        name = cleaned_name(f"{station.name} {way}", "colour")
        while name in names:
            name += " 2"
        names.add(name)
        cubes.append(cube_of(name, *ends, policy, size))
    return cubes


def config_of(template: Template, cubes: list[Cube]) -> str:
    """Return an OpenColorIO config (version 2) whose spaces are the template's stations, by the cubes beside it.

    The programme is what all others are converted to or from; its scene's light is a space of its own where its
    transfer says what that was. OpenColorIO itself writes and checks it.
    """
    import PyOpenColorIO  # only where somebody carries colour

    config = PyOpenColorIO.Config()
    config.setMajorVersion(2)
    config.setMinorVersion(0)
    config.setSearchPath(".")
    config.setDescription(f"Stations of the template {template.name}; written by Idle Quarry")
    programme = PyOpenColorIO.ColorSpace(
        PyOpenColorIO.REFERENCE_SPACE_SCENE, template.working.name, description=format_words(template.working.format)
    )
    config.addColorSpace(programme)
    config.setRole("default", template.working.name)
    linear = _scene_linear(template)
    if linear is not None:
        config.addColorSpace(linear)
        config.setRole("scene_linear", linear.getName())
    config.addDisplayView("Programme", "as it is made", template.working.name)
    for cube in cubes:
        into = cube.name.endswith("into the programme")
        space = PyOpenColorIO.ColorSpace(
            PyOpenColorIO.REFERENCE_SPACE_SCENE,
            cube.name,
            description=f"{cube.source} to {cube.target}; {cube.error_words}",
        )
        change = PyOpenColorIO.FileTransform(f"{cube.name}.cube", interpolation=PyOpenColorIO.INTERP_TETRAHEDRAL)
        space.setTransform(
            change, PyOpenColorIO.COLORSPACE_DIR_TO_REFERENCE if into else PyOpenColorIO.COLORSPACE_DIR_FROM_REFERENCE
        )
        config.addColorSpace(space)
        if not into:
            config.addDisplayView(cube.name, "as it is shown", cube.name)
    config.validate()
    return str(config.serialize())


def _scene_linear(template: Template) -> Any:
    """Return the space of the light in front of a programme's camera, in its primaries.

    None where the programme is not of BT.709's camera curve: PQ and gamma 2.6 say what a display shows, and configs of
    this version have no transform for HLG.
    """
    import PyOpenColorIO

    encoding = template.working.format.encoding
    if encoding.transfer != "bt709":
        return None
    space = PyOpenColorIO.ColorSpace(
        PyOpenColorIO.REFERENCE_SPACE_SCENE,
        f"{template.working.name}, light of the scene",
        description=f"light in front of the camera, {encoding.primaries}, 1 is white (BT.709, item 1.2)",
        encoding="scene-linear",
    )
    change = PyOpenColorIO.ExponentWithLinearTransform(  # 4.5 L below 0.018, else 1.099 L^0.45 − 0.099
        gamma=[1 / 0.45] * 3 + [1.0], offset=[0.099] * 3 + [0.0], negativeStyle=PyOpenColorIO.NEGATIVE_LINEAR
    )
    space.setTransform(change, PyOpenColorIO.COLORSPACE_DIR_FROM_REFERENCE)
    return space
