"""A monitor's own description of itself (VESA E-EDID 1.3 and 1.4 with CTA-861 extensions) read as an entry.

Of a screen's words only those are taken that say which pictures it shows: detailed timings, identification codes,
transfers and peak luminance. What it says is what a machine's output may send it; a line in a bay may have converters
before it.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Any

from idle_quarry.errors import QuarryError
from idle_quarry.signal.rates import NAMED_RATES

_BLOCK = 128
_HEAD = bytes((0, 255, 255, 255, 255, 255, 255, 0))
_CTA = 0x02
#: CTA-861: data blocks by their tag; 7 says that the extended tag is in the next byte.
_VIDEO, _VENDOR, _EXTENDED = 2, 3, 7
_COLORIMETRY, _HDR_STATIC, _YCBCR_420_VIDEO, _YCBCR_420_MAP = 5, 6, 14, 15
#: HDMI's number among vendors, lowest byte first, and its own identification codes (HDMI 1.4b, table 8-13).
_HDMI = bytes((0x03, 0x0C, 0x00))
_HDMI_VICS = {
    1: ((3840, "30"), (3840, "29.97")),
    2: ((3840, "25"),),
    3: ((3840, "24"), (3840, "23.976")),
    4: ((4096, "24"),),
}
#: Bits of the colorimetry block that say BT.2020: constant luminance, Y′C′BC′R, R′G′B′.
_BT2020 = 0xE0
#: Bits of the transfers in the HDR static metadata block.
_TRANSFERS = ((0x04, "pq"), (0x08, "hlg"))
_MOST_BYTES = 32768  # 255 extensions
#: How far a timing's rate may be from a frame rate that has a name.
_NEAR = Fraction(1, 2500)
_PULLED = {"24": "23.976", "30": "29.97", "60": "59.94", "120": "119.88"}


class EdidError(QuarryError):
    """Raised where bytes are no description of a screen, or contradict themselves."""


@dataclass(frozen=True)
class Timing:
    """A picture a screen shows: width, lines, frames a second by name, whether it is interlaced."""

    width: int
    lines: int
    rate: str
    interlaced: bool


@dataclass
class Screen:
    """What a screen says of itself."""

    maker: str = ""
    name: str = ""
    timings: list[Timing] = field(default_factory=list)
    transfers: list[str] = field(default_factory=lambda: ["bt709"])
    peak_cd_m2: float | None = None
    black_cd_m2: float | None = None
    takes_bt2020: bool = False
    takes_420: list[Timing] = field(default_factory=list)  #: pictures that it takes in 4:2:0 as well, or only so


def screens_here() -> list[Path]:
    """Return the descriptions of this machine's own screens that it can read, by connector."""
    return sorted(path for path in Path("/sys/class/drm").glob("*/edid") if _size(path))


def _size(path: Path) -> int:
    try:
        return len(path.read_bytes())
    except OSError:
        return 0


@lru_cache(maxsize=1)
def _vics() -> dict[int, tuple[Timing, ...]]:
    text = files("idle_quarry.path").joinpath("data/timings.toml").read_text(encoding="utf-8")
    results = {}
    for code, width, lines, rate, *more in tomllib.loads(text)["vics"]:
        rates = [rate, *([_PULLED[rate]] if rate in _PULLED else [])]
        results[code] = tuple(Timing(width, lines, item, bool(more)) for item in rates)
    return results


def read_edid(data: bytes) -> Screen:
    """Return what a screen says of itself. Raises `EdidError` where it is cut short, damaged, or says nothing."""
    if not data:
        raise EdidError("the description is empty", remedy="is the screen switched on?")
    if len(data) > _MOST_BYTES:
        raise EdidError("far larger than any description of a screen")
    if data[:8] != _HEAD:
        raise EdidError("not a description of a screen (EDID)", remedy="give the file that holds its EDID")
    blocks = [data[at : at + _BLOCK] for at in range(0, len(data), _BLOCK)]
    wanted = 1 + data[126] if len(data) > 126 else 1
    if len(blocks[-1]) < _BLOCK or len(blocks) < wanted:
        raise EdidError(f"cut short: {len(data)} bytes of {_BLOCK * max(wanted, len(blocks))}", remedy="read it again")
    for number, block in enumerate(blocks[:wanted]):
        if sum(block) % 256:
            raise EdidError(
                f"its block {number} does not match its checksum", remedy="read it again, or by another cable"
            )
    screen = Screen(maker=_maker(data))
    for at in range(54, 126, 18):
        _descriptor(screen, data[at : at + 18])
    for block in blocks[1:wanted]:
        if block[0] == _CTA:
            _cta(screen, block)
    screen.timings = list(dict.fromkeys(screen.timings))
    if not screen.timings:
        raise EdidError("it names no picture that this program knows", remedy="write what the screen shows by hand")
    return screen


def _maker(data: bytes) -> str:
    bits = int.from_bytes(data[8:10], "big")
    letters = [(bits >> shift) & 31 for shift in (10, 5, 0)]
    return "".join(chr(64 + letter) if 1 <= letter <= 26 else "?" for letter in letters)


def _descriptor(screen: Screen, part: bytes) -> None:
    """Take one descriptor of 18 bytes: a timing, or the screen's name."""
    if part[:2] == b"\0\0":
        if part[3] == 0xFC:
            text = part[5:18].split(b"\n")[0].decode("cp437")
            screen.name = "".join(sign for sign in text if sign.isprintable()).strip()
        return
    clock = int.from_bytes(part[:2], "little") * 10_000
    width = part[2] | (part[4] & 0xF0) << 4
    blank = part[3] | (part[4] & 0x0F) << 8
    lines = part[5] | (part[7] & 0xF0) << 4
    blank_lines = part[6] | (part[7] & 0x0F) << 8
    interlaced = bool(part[17] & 0x80)
    if not (width >= 16 and lines >= 16) or width + blank == 0 or lines + blank_lines == 0:
        return
    # of an interlaced timing the lines are those of a field, and half a line more is never said
    total = (lines + blank_lines) * 2 + 1 if interlaced else lines + blank_lines
    rate = _named(Fraction(clock, (width + blank) * total))
    if rate is not None:
        screen.timings.append(Timing(width, lines * 2 if interlaced else lines, rate, interlaced))


def _named(rate: Fraction) -> str | None:
    """Return the name of the frame rate that comes nearest, None where none is near."""
    name = min(NAMED_RATES, key=lambda name: abs(NAMED_RATES[name] - rate))
    return name if abs(NAMED_RATES[name] - rate) <= rate * _NEAR else None


def _cta(screen: Screen, block: bytes) -> None:
    """Take a CTA-861 extension: its data blocks, then its detailed timings."""
    until = block[2]
    if until == 0:
        return
    if not 4 <= until <= 127:
        raise EdidError("its extension says that its timings begin outside it", remedy="read it again")
    codes: list[int] = []  #: of the video block, in its order: the 4:2:0 map counts them
    for tag, body in _data_blocks(block[4:until]):
        if tag == _VIDEO:
            codes += [_code(number) for number in body]
            for number in body:
                screen.timings += _vics().get(_code(number), ())
        elif tag == _VENDOR and body[:3] == _HDMI:
            _hdmi(screen, body)
        elif tag == _EXTENDED and body[:1] == bytes((_YCBCR_420_MAP,)):
            bits = int.from_bytes(body[1:], "little") if len(body) > 1 else -1  # an empty map means all of them
            for number, code in enumerate(codes):
                if bits >> number & 1:
                    screen.takes_420 += _vics().get(code, ())
        elif tag == _EXTENDED and body:
            _extended(screen, body[0], body[1:])
    for at in range(until, 127 - 17, 18):
        if block[at : at + 2] != b"\0\0":
            _descriptor(screen, block[at : at + 18])


def _code(value: int) -> int:
    """Return the identification code of a short video descriptor.

    From 129 to 192 the top bit says that it is native.
    """
    return value & 0x7F if 129 <= value <= 192 else value


def _data_blocks(data: bytes) -> Iterator[tuple[int, bytes]]:
    at = 0
    while at < len(data):
        tag, length = data[at] >> 5, data[at] & 31
        if at + 1 + length > len(data):
            raise EdidError("a block of its extension reaches beyond the end", remedy="read it again")
        yield tag, data[at + 1 : at + 1 + length]
        at += 1 + length


def _extended(screen: Screen, tag: int, body: bytes) -> None:
    if tag == _HDR_STATIC and body:
        screen.transfers += [name for bit, name in _TRANSFERS if body[0] & bit and name not in screen.transfers]
        if len(body) > 2 and body[2]:
            screen.peak_cd_m2 = round(50 * 2 ** (body[2] / 32), 1)
        if len(body) > 4 and body[2] and body[4]:  # a share of the peak (CTA-861.3)
            screen.black_cd_m2 = round(50 * 2 ** (body[2] / 32) * (body[4] / 255) ** 2 / 100, 5)
    elif tag == _COLORIMETRY and body:
        screen.takes_bt2020 = bool(body[0] & _BT2020)
    elif tag == _YCBCR_420_VIDEO:
        for number in body:
            timings = _vics().get(_code(number), ())
            screen.timings += timings
            screen.takes_420 += timings


def _hdmi(screen: Screen, body: bytes) -> None:
    """Take HDMI's own block: pictures of 2160 lines by its own codes, where it lists them."""
    if len(body) < 8 or not body[7] & 0x20:
        return
    at = 8 + (2 if body[7] & 0x80 else 0) + (2 if body[7] & 0x40 else 0) + 1  # behind latencies and the byte on 3D
    count = body[at] >> 5 if len(body) > at else 0
    for code in body[at + 1 : at + 1 + count]:
        screen.timings += [Timing(width, 2160, rate, False) for width, rate in _HDMI_VICS.get(code, ())]


def monitor_data(screen: Screen, uid: str, name: str | None = None) -> dict[str, Any]:
    """Return an entry's plain values of what a screen says; several rates of one picture are one input."""
    inputs: dict[tuple[int, int, bool], set[str]] = {}
    for timing in screen.timings:
        inputs.setdefault((timing.width, timing.lines, timing.interlaced), set()).add(timing.rate)
    order = list(NAMED_RATES)
    doors = [
        {
            "widths": [width],
            "lines": [lines],
            "scans": ["interlaced" if interlaced else "progressive"],
            "rates": sorted(rates, key=order.index),
            "transfers": list(screen.transfers),
            "interface": "12G",
        }
        for (width, lines, interlaced), rates in sorted(
            inputs.items(), key=lambda item: (-item[0][1], -item[0][0], item[0][2])
        )
    ]
    called = name or " ".join(part for part in (screen.maker, screen.name) if part) or "Screen"
    return {
        "entry": "monitor",
        "uid": uid,
        "name": called[:100],
        "kind": "screen, as it describes itself"
        + (", takes BT.2020" if screen.takes_bt2020 else "")
        + _taken_so(screen),
        "device": "consumer screen",
        "source": "its own description (VESA E-EDID, CTA-861)",
        "ranges": ["full", "narrow"],
        "accepts": doors[:60],
        "tells_psf": False,
        **({"peak_cd_m2": screen.peak_cd_m2} if screen.peak_cd_m2 else {}),
        **({"black_cd_m2": screen.black_cd_m2} if screen.black_cd_m2 is not None else {}),
    }


def _taken_so(screen: Screen) -> str:
    """Return the largest pictures that a screen takes in 4:2:0, in words."""
    largest = max((timing.lines for timing in screen.takes_420), default=0)
    rates = [timing.rate for timing in screen.takes_420 if timing.lines == largest]
    return f", 4:2:0 of {largest} lines at {' and '.join(list(dict.fromkeys(rates))[:3])}" if rates else ""
