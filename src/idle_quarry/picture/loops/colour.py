"""Colour of a strip of samples: matrix, to light, tone, to the target's primaries, to signal, matrix, in one pass.

Transfer functions are tables over the bits of a single-precision number: each octave has 256 steps, between which
values lie on straight lines. The error of a power p is then p(p − 1)/(8 · 256²) of the value: 6 in a million at 2.4.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from idle_quarry.compiling.loop import loop

Samples = NDArray[np.float32]
Bits = NDArray[np.int32]

#: Tables begin at 2 to this power and go on for so many octaves; what is less counts as nothing.
LOWEST, OCTAVES = -44, 59
STEPS = 256
#: Places between two steps.
PARTS = 1 << (23 - 8)
_SHIFT, _REST = 23 - 8, PARTS - 1
_BASE = (LOWEST + 127) << 8

_compiled = loop(error_model="numpy", fastmath={"contract"})

#: Which curve brings HDR down to SDR.
NO_TONE, COMPRESS, REFERENCE, SOFT = range(4)


class Colouring(NamedTuple):
    """What is done to each sample. A table of length 0, and a matrix that is not needed, leave their step out.

    `to_rgb` and `to_target` are the matrices around it; `light` and `signal` the transfers (`odd`: `light` goes on
    below 0), `scene_gain` and `display_gain` what HLG multiplies by, from the luminance that `luma_in` and `luma_out`
    weigh; `tone` with its tables in BT.2020 (`to_2020` brings light there); `primaries` brings light to the target's.
    """

    to_rgb: Samples
    light: Samples
    odd: bool
    scene_gain: Samples
    luma_in: Samples
    tone: int
    to_2020: Samples
    tone_coded: Samples
    tone_curve: Samples
    tone_shown: Samples
    luma_2020: Samples
    primaries: Samples
    soften: bool
    luminance: Samples
    peak: float
    shown: Samples
    display_gain: Samples
    luma_out: Samples
    signal: Samples
    excursions: bool
    to_target: Samples


@_compiled
def _looked(row: Samples, bits: Bits, table: Samples) -> None:  # pragma: no cover
    """Replace a row of values, whose bits are `bits`, by a table's; below 0 by the same with its sign.

    `table` is what stands at each step, and how much it rises for each of the bits that are left: all whole numbers
    have 32 bits, so that eight samples are done at once.
    """
    levels, rises = table[0], table[1]
    top, least, rest = np.int32(len(levels) - 1), np.int32(0), np.int32(_REST)
    shift, base, sign = np.int32(_SHIFT), np.int32(_BASE), np.int32(0x7FFFFFFF)
    for x in range(len(row)):
        word = np.int32(bits[x] & sign)
        at = np.int32((word >> shift) - base)
        inside = np.uint32(min(max(at, least), top))
        result = levels[inside] + np.float32(np.int32(word & rest)) * rises[inside]
        result = result if at >= least else np.float32(0)
        row[x] = result if bits[x] >= least else -result


@_compiled
def _mixed(
    r: Samples, g: Samples, b: Samples, by: Samples, to_r: Samples, to_g: Samples, to_b: Samples
) -> None:  # pragma: no cover
    m00, m01, m02 = by[0, 0], by[0, 1], by[0, 2]
    m10, m11, m12 = by[1, 0], by[1, 1], by[1, 2]
    m20, m21, m22 = by[2, 0], by[2, 1], by[2, 2]
    for x in range(len(r)):
        one, two, three = r[x], g[x], b[x]
        to_r[x] = m00 * one + m01 * two + m02 * three
        to_g[x] = m10 * one + m11 * two + m12 * three
        to_b[x] = m20 * one + m21 * two + m22 * three


@_compiled
def _gained(
    r: Samples, g: Samples, b: Samples, y: Samples, bits: Bits, luma: Samples, gain: Samples
) -> None:  # pragma: no cover
    """Multiply each sample by what a table says for its luminance."""
    for x in range(len(r)):
        y[x] = max(luma[0] * r[x] + luma[1] * g[x] + luma[2] * b[x], np.float32(1e-9))
    _looked(y, bits, gain)
    for x in range(len(r)):
        r[x] *= y[x]
        g[x] *= y[x]
        b[x] *= y[x]


@_compiled
def _held(row: Samples, low: float, high: float) -> None:  # pragma: no cover
    for x in range(len(row)):
        row[x] = min(max(row[x], np.float32(low)), np.float32(high))


@_compiled
def colour(
    first: int,
    last: int,
    left: int,
    right: int,
    how: Colouring,
    in_a: Samples,
    in_b: Samples,
    in_c: Samples,
    out_a: Samples,
    out_b: Samples,
    out_c: Samples,
) -> None:  # pragma: no cover
    """Convert rows `first` to `last`, columns `left` to `right` (not held), of three planes into three others."""
    width = right - left
    buffer = np.empty((8, width), np.float32)
    bits = buffer.view(np.int32)
    r, g, b, low, high, y, k, s = buffer[0], buffer[1], buffer[2], buffer[3], buffer[4], buffer[5], buffer[6], buffer[7]
    for row in range(first, last):
        _mixed(in_a[row, left:right], in_b[row, left:right], in_c[row, left:right], how.to_rgb, r, g, b)
        if how.excursions:
            for x in range(width):
                low[x] = min(min(min(r[x], g[x]), b[x]), np.float32(0))
                high[x] = max(max(max(r[x], g[x]), b[x]), np.float32(1))
        if how.light.shape[1]:
            if not how.odd:
                _held(r, 0.0, 1e4)
                _held(g, 0.0, 1e4)
                _held(b, 0.0, 1e4)
            _looked(r, bits[0], how.light)
            _looked(g, bits[1], how.light)
            _looked(b, bits[2], how.light)
            if how.scene_gain.shape[1]:
                _gained(r, g, b, y, bits[5], how.luma_in, how.scene_gain)
            if how.tone != NO_TONE:
                _mixed(r, g, b, how.to_2020, r, g, b)
                _toned(r, g, b, y, k, bits, how)
            _mixed(r, g, b, how.primaries, r, g, b)
            if how.soften:
                _softened(r, g, b, k, s, low, high, bits, how)
            if not how.excursions:
                _held(r, 0.0, 1e9)
                _held(g, 0.0, 1e9)
                _held(b, 0.0, 1e9)
            if how.display_gain.shape[1]:
                _gained(r, g, b, y, bits[5], how.luma_out, how.display_gain)
            _looked(r, bits[0], how.signal)
            _looked(g, bits[1], how.signal)
            _looked(b, bits[2], how.signal)
            if how.excursions:
                for x in range(width):
                    r[x] = max(min(r[x], high[x]), low[x])
                    g[x] = max(min(g[x], high[x]), low[x])
                    b[x] = max(min(b[x], high[x]), low[x])
            else:
                _held(r, 0.0, 1.0)
                _held(g, 0.0, 1.0)
                _held(b, 0.0, 1.0)
        _mixed(r, g, b, how.to_target, out_a[row, left:right], out_b[row, left:right], out_c[row, left:right])


@_compiled
def _toned(
    r: Samples, g: Samples, b: Samples, y: Samples, k: Samples, bits: Bits, how: Colouring
) -> None:  # pragma: no cover
    """Bring HDR light of BT.2020, cd/m², to SDR light of up to 100."""
    if how.tone == REFERENCE:
        for x in range(len(r)):
            r[x] = min(r[x] * how.tone_curve[0, 0], how.tone_curve[1, 0])
            g[x] = min(g[x] * how.tone_curve[0, 0], how.tone_curve[1, 0])
            b[x] = min(b[x] * how.tone_curve[0, 0], how.tone_curve[1, 0])
        return
    _held(r, 0.0, 1e4)
    _held(g, 0.0, 1e4)
    _held(b, 0.0, 1e4)
    if how.tone == SOFT:
        _looked(r, bits[0], how.tone_curve)
        _looked(g, bits[1], how.tone_curve)
        _looked(b, bits[2], how.tone_curve)
        return
    _looked(
        r, bits[0], how.tone_coded
    )  # BT.2446-1 method A: a signal of gamma 2.4, its luma bent, colour by luma's share
    _looked(g, bits[1], how.tone_coded)
    _looked(b, bits[2], how.tone_coded)
    luma = how.luma_2020
    for x in range(len(r)):
        y[x] = luma[0] * r[x] + luma[1] * g[x] + luma[2] * b[x]
        k[x] = y[x]
    _looked(k, bits[6], how.tone_curve)
    for x in range(len(r)):
        share = k[x] / (np.float32(1.1) * max(y[x], np.float32(1e-12)))
        cb = share * (b[x] - y[x]) / np.float32(1.8814)
        cr = share * (r[x] - y[x]) / np.float32(1.4746)
        level = k[x] - max(np.float32(0.1) * cr, np.float32(0))
        red, blue = level + np.float32(1.4746) * cr, level + np.float32(1.8814) * cb
        r[x], b[x] = red, blue
        g[x] = (level - luma[0] * red - luma[2] * blue) / luma[1]
    _held(r, 0.0, 1.0)
    _held(g, 0.0, 1.0)
    _held(b, 0.0, 1.0)
    _looked(r, bits[0], how.tone_shown)
    _looked(g, bits[1], how.tone_shown)
    _looked(b, bits[2], how.tone_shown)


@_compiled
def _softened(
    r: Samples, g: Samples, b: Samples, k: Samples, s: Samples, low: Samples, high: Samples, bits: Bits, how: Colouring
) -> None:  # pragma: no cover
    """Move colours that do not fit toward grey of their luminance until they do."""
    if how.excursions:
        k[:], s[:] = low, high
        _looked(k, bits[6], how.shown)
        _looked(s, bits[7], how.shown)
    else:
        k[:], s[:] = np.float32(0), np.float32(how.peak)
    weigh = how.luminance
    for x in range(len(r)):
        grey = min(max(weigh[0] * r[x] + weigh[1] * g[x] + weigh[2] * b[x], k[x]), s[x])
        share = np.float32(1)
        for value in (r[x], g[x], b[x]):
            away = value - grey
            room = grey - k[x] if away < 0 else s[x] - grey
            share = min(share, room / max(abs(away), np.float32(1e-9)))
        if share < 1:  # what lies at a bound lies there exactly: near black a rounding error of light is seen
            near = np.float32(4e-7) * (abs(grey) + max(abs(r[x]), max(abs(g[x]), abs(b[x]))))
            r[x] = _bound(grey + share * (r[x] - grey), k[x], s[x], near)
            g[x] = _bound(grey + share * (g[x] - grey), k[x], s[x], near)
            b[x] = _bound(grey + share * (b[x] - grey), k[x], s[x], near)


@loop(inline="always", error_model="numpy")
def _bound(value: float, low: float, high: float, near: float) -> float:  # pragma: no cover
    if value - low < near:
        return low
    return high if high - value < near else value


@_compiled
def through(first: int, last: int, given: Samples, table: Samples, odd: bool, out: Samples) -> None:  # pragma: no cover
    """Put rows of a plane through a table; below 0 by the same with its sign, or as nothing."""
    width = given.shape[1]
    line = np.empty(width, np.float32)
    bits = line.view(np.int32)
    for row in range(first, last):
        line[:] = given[row]
        if not odd:
            _held(line, 0.0, 1e9)
        _looked(line, bits, table)
        out[row] = line
