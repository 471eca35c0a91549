"""Colour conversion of a whole picture against OpenColorIO's processor: time, and how far both are apart."""

from __future__ import annotations

import statistics
import sys
from collections.abc import Callable
from time import perf_counter
from typing import Any

import numpy as np
import PyOpenColorIO
from common import machine

from idle_quarry.picture.colour import primaries_matrix
from idle_quarry.picture.recolouring import converted_planes

ROUNDS = 7


def processor(transforms: list[Any], *, exact: bool) -> Any:
    """Return OpenColorIO's processor for transforms one after the other; with `exact`, without its fast powers."""
    group = PyOpenColorIO.GroupTransform()
    for transform in transforms:
        group.appendTransform(transform)
    flags = PyOpenColorIO.OptimizationFlags
    chosen = flags.OPTIMIZATION_LOSSLESS if exact else flags.OPTIMIZATION_DEFAULT
    return PyOpenColorIO.Config.CreateRaw().getProcessor(group).getOptimizedCPUProcessor(chosen)


def power(value: float, *, back: bool = False) -> Any:
    """Return the transform of a power law."""
    way = PyOpenColorIO.TransformDirection
    return PyOpenColorIO.ExponentTransform(
        [value] * 3 + [1.0],
        negativeStyle=PyOpenColorIO.NegativeStyle.NEGATIVE_CLAMP,
        direction=way.TRANSFORM_DIR_INVERSE if back else way.TRANSFORM_DIR_FORWARD,
    )


def matrix(source: str, target: str, scale: float = 1.0) -> Any:
    """Return the transform between two sets of primaries."""
    full = np.eye(4)
    full[:3, :3] = primaries_matrix(source, target) * scale
    return PyOpenColorIO.MatrixTransform(full.ravel().tolist())


def median(work: Callable[[], object]) -> float:
    """Return the median seconds of `work`."""
    taken = []
    for _ in range(ROUNDS):
        start = perf_counter()
        work()
        taken.append(perf_counter() - start)
    return statistics.median(taken)


def main() -> int:
    """Print times and ratios."""
    rng = np.random.default_rng(1)
    planes = [rng.random((1080, 1920), np.float32) for _ in range(3)]
    packed = np.ascontiguousarray(np.stack(planes, axis=-1))
    to_pq = PyOpenColorIO.BuiltinTransform("CURVE - LINEAR_to_ST-2084")
    cases = {
        "BT.601-625 to BT.709": (
            ("bt601-625", "bt709"),
            ("bt709", "bt709"),
            [power(2.4), matrix("bt601-625", "bt709"), power(2.4, back=True)],
        ),
        "P3 2.6 to BT.709": (
            ("p3", "gamma2.6"),
            ("bt709", "bt709"),
            [power(2.6), matrix("p3", "bt709"), power(2.4, back=True)],
        ),
        "BT.709 to PQ": (("bt709", "bt709"), ("bt2020", "pq"), [power(2.4), matrix("bt709", "bt2020", 2.03), to_pq]),
    }
    print(f"colour of 1920 × 1080 R′G′B′, single precision in and out; medians of {ROUNDS}; {machine()}")
    for name, (source, target, transforms) in cases.items():
        own = median(lambda source=source, target=target: converted_planes(planes, source, target))  # type: ignore[misc]
        ours = np.stack(converted_planes(planes, source, target), axis=-1)
        line = f"{name:22} ours {1000 * own:6.1f} ms"
        for kind, exact in (("exact", True), ("fast", False)):
            made = processor(transforms, exact=exact)
            work = packed.copy()
            theirs = median(lambda made=made: made.applyRGB(packed.copy()))  # type: ignore[misc]
            made.applyRGB(work)
            clear = (ours > 0.02) & (ours < 1)
            apart = np.abs(np.clip(work, 0, 1) - ours)[clear].max() * 4095
            line += (
                f"; OpenColorIO {kind} {1000 * theirs:6.1f} ms, ratio {own / theirs:5.2f}, apart {apart:.2f} codes of"
                " 12 bits"
            )
        print(line)
    return 0


if __name__ == "__main__":
    sys.exit(main())
