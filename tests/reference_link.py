"""A link in float64 by plain NumPy, for holding the fast one against: dense weights, formulas, whole pictures,
nothing left out.

It shares with the program only what the policy means (the plan, the kernels' formulas, `colour.converted`, which other
tests hold against other libraries), and none of what makes it fast.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from idle_quarry.path.policies import Policy
from idle_quarry.path.steps import plan
from idle_quarry.picture.colour import converted
from idle_quarry.picture.kernels import KERNELS
from idle_quarry.signal.colour import MATRICES
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding, SignalFormat

Plane = NDArray[np.float64]
Planes = tuple[Plane, ...]
_SIDE = {"left": (-0.5, 0.0), "top-left": (-0.5, -0.5)}


def weights(source: int, target: int, scale: float, offset: float, kernel: str) -> Plane:
    """Return (target, source): a kernel's formula at each distance, widened where it reduces; ends go on."""
    result = KERNELS[kernel]
    wide = max(1.0, 1 / scale)
    centres = (np.arange(target) + 0.5 - offset) / scale - 0.5
    places = np.arange(-60, source + 60)
    exact = result.weigh((places[None, :] - centres[:, None]) / wide)
    beyond = (centres < -40) | (centres > source + 40)
    total = exact.sum(axis=1, keepdims=True)
    exact = np.divide(exact, total, out=np.zeros_like(exact), where=np.abs(total) > 1e-9)
    output = np.zeros((target, source))
    for column, place in enumerate(np.clip(places, 0, source - 1)):
        output[:, place] += exact[:, column]
    output[beyond] = 0
    return output


def within(source: int, target: int, scale: float, offset: float) -> NDArray[np.bool_]:
    places = (np.arange(target) + 0.5 - offset) / scale
    return (places >= -1e-9) & (places <= source + 1e-9)


def fitted(plane: Plane, shape: tuple[int, int], scale: Any, offset: Any, kernel: str, *, edges: bool) -> Plane:
    """Return a plane on another raster, across and down; what is not covered is black, unless edges go on."""
    (sx, sy), (ox, oy) = scale, offset
    result = (
        weights(plane.shape[0], shape[0], sy, oy, kernel) @ plane @ weights(plane.shape[1], shape[1], sx, ox, kernel).T
    )
    if not edges:
        result[~within(plane.shape[0], shape[0], sy, oy)] = 0
        result[:, ~within(plane.shape[1], shape[1], sx, ox)] = 0
    return result


def _chroma_place(scale: Any, offset: Any, before: str, after: str, side: str, to_side: str) -> tuple[Any, Any]:
    result = []
    for axis in (0, 1):
        step, to_step = CHROMA_STEPS[before][axis], CHROMA_STEPS[after][axis]
        at = _SIDE[side][axis] if step > 1 else 0.0
        to_at = _SIDE[to_side][axis] if to_step > 1 else 0.0
        result.append((scale[axis] * step / to_step, (offset[axis] + at * scale[axis] - to_at) / to_step))
    return (result[0][0], result[1][0]), (result[0][1], result[1][1])


def _side(encoding: Encoding) -> str:
    return "top-left" if encoding.matrix == "bt2020" else "left"


def sampled(planes: Planes, before: str, after: str, encoding: Encoding, *, fields: bool) -> Planes:
    """Return planes whose chroma is of another sampling, by bicubic weights; with `fields` each field's by itself."""
    if before == after:
        return planes
    height, width = planes[0].shape
    across, down = CHROMA_STEPS[after]
    shape = -(-height // down), -(-width // across)
    scale, offset = _chroma_place((1.0, 1.0), (0.0, 0.0), before, after, _side(encoding), _side(encoding))

    def whole(plane: Plane) -> Plane:
        return fitted(plane, shape, scale, offset, "bicubic", edges=True)

    def by_field(plane: Plane) -> Plane:
        result = np.empty(shape)
        for parity in (0, 1):  # a field's lines lie a quarter of its lines off those of a whole picture
            own = offset[1] / 2 + (0.25 - 0.5 * parity) * (1 - scale[1])
            result[parity::2] = fitted(
                plane[parity::2], (shape[0] // 2, shape[1]), scale, (offset[0], own), "bicubic", edges=True
            )
        return result

    make = by_field if fields and CHROMA_STEPS[before][1] != down else whole
    return planes[0], *(make(plane) for plane in planes[1:])


def _rgb(planes: Planes, matrix: str) -> Plane:
    _, kr, kb, _ = MATRICES[matrix]
    assert kr is not None and kb is not None
    y, cb, cr = planes
    red, blue = y + 2 * (1 - kr) * cr, y + 2 * (1 - kb) * cb
    return np.stack([red, (y - kr * red - kb * blue) / (1 - kr - kb), blue], axis=-1)


def _ycbcr(rgb: Plane, matrix: str) -> Planes:
    _, kr, kb, _ = MATRICES[matrix]
    assert kr is not None and kb is not None
    red, green, blue = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    y = kr * red + (1 - kr - kb) * green + kb * blue
    return y, (blue - y) / (2 * (1 - kb)), (red - y) / (2 * (1 - kr))


def _cubic(field: Plane, parity: int) -> Plane:
    """Return a field's missing lines: (−1, 9, 9, −1)/16, and at its end the last line."""
    padded = np.concatenate([field[:1], field, field[-1:]])
    middle = (9 * (padded[1:-2] + padded[2:-1]) - padded[:-3] - padded[3:]) / 16
    return np.concatenate([middle, field[-1:]]) if parity == 0 else np.concatenate([field[:1], middle])


def adaptive(fields: list[Plane], at: int, parity: int) -> Plane:
    """Return field `at` made whole: missing lines from its neighbours where 3 × 3 places stand still, else cubics."""
    differs = np.abs(fields[at + 1] - fields[at - 1])
    for other in (at - 2, at + 2):
        differs = np.maximum(differs, np.abs(fields[at] - fields[other]))
    padded = np.pad(differs, 1, mode="edge")
    height, width = differs.shape
    spread = np.max([padded[y : y + height, x : x + width] for y in range(3) for x in range(3)], axis=0)
    share = np.clip((spread - 1 / 255) / (3 / 255), 0, 1)
    kept = (fields[at - 1] + fields[at + 1]) / 2
    result = np.empty((2 * height, width))
    result[parity::2] = fields[at]
    result[1 - parity :: 2] = kept + share * (_cubic(fields[at], parity) - kept)
    return result


def reference_frame(
    source: SignalFormat, target: SignalFormat, policy: Policy, index: int, frames: Callable[[int], Any]
) -> Planes | None:
    """Return output frame `index`; None for what is not done here: motion, other rates, light, pulldown."""
    same_pace = source.moments == target.moments or source.rate == target.rate
    if not same_pace or policy.scan == "compensated" or policy.light == "linear" or policy.retime == "compensated":
        return None
    e, to = source.encoding, target.encoding
    raised = "4:2:2" if source.scan == "interlaced" and e.sampling == "4:2:0" else e.sampling

    def moment(number: int) -> Planes:
        if source.scan != "interlaced":
            return tuple(np.asarray(plane, np.float64) for plane in frames(number))
        first = 0 if source.field_order == "top" else 1
        fields: list[list[Plane]] = [[], [], []]
        for n in range(number // 2 - 1, number // 2 + 2):
            planes = tuple(np.asarray(plane, np.float64) for plane in frames(n))
            planes = sampled(planes, e.sampling, raised, e, fields=True)
            for plane, own in zip(planes, fields, strict=True):
                own += [plane[first::2], plane[1 - first :: 2]]
        at = number - 2 * (number // 2 - 1)
        parity = first if number % 2 == 0 else 1 - first
        return tuple(adaptive(own, at, parity) for own in fields)

    where = plan(source, target, policy).placement
    scale = (float(where.scale_x), float(where.scale_y)) if where is not None else (1.0, 1.0)
    offset = (float(where.edge_x), float(where.offset_y)) if where is not None else (0.0, 0.0)
    colour = (e.primaries, e.transfer, e.matrix) != (to.primaries, to.transfer, to.matrix)
    weave = target.scan == "interlaced" and target.moments != target.rate and source.moments == target.moments
    wanted = "4:4:4" if colour else raised if where is None else to.sampling
    wanted = "4:2:2" if weave and wanted == "4:2:0" else wanted

    def placed(planes: Planes) -> Planes:
        if where is None and not colour:
            return sampled(planes, raised, wanted, e, fields=False)
        across, down = CHROMA_STEPS[wanted]
        shape = target.raster.height, target.raster.width
        c_scale, c_offset = _chroma_place(scale, offset, raised, wanted, _side(e), _side(to))
        c_shape = -(-shape[0] // down), -(-shape[1] // across)
        kernel = policy.kernel if where is not None else "bicubic"
        luma = fitted(planes[0], shape, scale, offset, kernel, edges=False) if where is not None else planes[0]
        chroma = [fitted(p, c_shape, c_scale, c_offset, kernel, edges=True) for p in planes[1:]]
        for plane in chroma:  # there is colour where there is luma
            plane[~within(planes[0].shape[0], shape[0], scale[1], offset[1])[::down]] = 0
            plane[:, ~within(planes[0].shape[1], shape[1], scale[0], offset[0])[::across]] = 0
        return luma, *chroma

    if weave:
        pair = [placed(moment(2 * index + n)) for n in (0, 1)]
        reduced = where is not None and where.scale_y < 1
        first = 0 if target.field_order == "top" else 1
        result = []
        for one, other in zip(*pair, strict=True):
            if source.scan != "interlaced" or reduced:
                soft = [np.concatenate([p[:1], p, p[-1:]]) for p in (one, other)]
                one, other = ((p[:-2] + 2 * p[1:-1] + p[2:]) / 4 for p in soft)
            frame = other.copy()
            frame[first::2] = one[first::2]
            result.append(frame)
        planes = tuple(result)
    else:
        planes = placed(moment(int(index * source.moments / target.rate)))
    if colour:
        rgb = converted(
            _rgb(planes, e.matrix),
            (e.primaries, e.transfer),
            (to.primaries, to.transfer),
            soften=policy.colour == "soften",
            tone=policy.tone,
        )
        planes = _ycbcr(rgb, to.matrix)
    return sampled(planes, wanted, to.sampling, to, fields=target.scan == "interlaced")
