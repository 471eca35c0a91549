"""Payload identifiers: four bytes that say what a line carries (SMPTE ST 352.

ST 292-1, ST 425-1, ST 2081-10, ST 2082-10).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

from idle_quarry.line.transport import Transport
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rasters import SIXTEEN_NINE
from idle_quarry.signal.rates import NAMED_RATES

#: The low four bits of the second byte.
RATE_CODES: Mapping[int, str] = {
    2: "23.976",
    3: "24",
    4: "47.952",
    5: "25",
    6: "29.97",
    7: "30",
    8: "48",
    9: "50",
    0xA: "59.94",
    0xB: "60",
}
_CODE_OF = {NAMED_RATES[name]: code for code, name in RATE_CODES.items()}
#: Bits 5 and 4 of the second byte.
TRANSFERS = ("bt709", "hlg", "pq", None)
#: The low four bits of the third byte.
SAMPLINGS: Mapping[int, tuple[str, bool]] = {
    0: ("4:2:2", False),
    1: ("4:4:4", False),
    2: ("4:4:4", True),
    3: ("4:2:0", False),
}
#: Colorimetry, two bits: Rec. 709 (in SD what its lines have), VANC's, UHDTV's, unknown.
COLORIMETRIES = ("bt709", None, "bt2020", None)
#: The low two bits of the fourth byte: bits and range.
DEPTHS = ((10, "full"), (10, "narrow"), (12, "narrow"), (12, "full"))
#: What the first byte says: interface and lines.
INTERFACE_OF: Mapping[int, tuple[str, int]] = {
    0x81: ("SD", 0), 0x84: ("HD", 720), 0x85: ("HD", 1080), 0x87: ("HD, two links", 1080), 0x88: ("3G-A", 720),
    0x89: ("3G-A", 1080),
    0x8A: ("3G-B", 1080), 0x8B: ("3G-B two streams", 720), 0x8C: ("3G-B two streams", 1080), 0x97: ("quad 3G", 2160),
    0xC0: ("6G", 2160), 0xCE: ("12G", 2160),
}  # fmt: skip
#: The first bytes of HD lines (ST 292-1), which say the picture's aspect in bit 5 of the third.
_OF_HD = (0x84, 0x85)


@dataclass(frozen=True)
class Payload:
    """What a payload identifier says, as read: None for what it leaves open or has in a reserved code."""

    interface: str | None
    lines: int | None
    transport: str  # "interlaced" or "progressive": how the lines come
    picture: str  # "interlaced" or "progressive": what they hold
    rate: Fraction | None
    transfer: str | None
    sixteen_nine: bool  # where lines of SD or HD say so; others do not
    wide: bool  # 2048 or 4096 samples, where there are more than 1920 or 3840
    colorimetry: str | None
    sampling: str | None
    rgb: bool
    bits: int
    range: str
    channel: int

    @property
    def scan(self) -> str:
        if self.picture == "interlaced":
            return "interlaced"
        # links of ST 372 send fast progressive pictures in the lines of interlaced ones
        paired = self.interface == "3G-B" and self.rate is not None and self.rate > 30
        return "psf" if self.transport == "interlaced" and not paired else "progressive"


def payload_bytes(fmt: SignalFormat, way: Transport, channel: int = 0) -> tuple[int, int, int, int]:
    """Return the identifier of a format on its way; `channel` is the link, quarter or picture, from 0.

    >>> from idle_quarry.line.transport import transport
    >>> from idle_quarry.signal.words import format_from_words
    >>> fmt = format_from_words("1080p59.94")
    >>> "%02X%02X%02X%02X" % payload_bytes(fmt, transport(fmt))
    '89CA0001'
    """
    e = fmt.encoding
    progressive = 0x80 if way.raster.scan == "progressive" else 0
    whole = 0x40 if fmt.scan != "interlaced" else 0
    transfer = TRANSFERS.index(e.transfer if e.transfer in TRANSFERS else None) if e.transfer != "bt709" else 0
    second = progressive | whole | transfer << 4 | _CODE_OF[fmt.rate]
    sampling = {"4:2:0": 3, "4:2:2": 0, "4:4:4": 2 if e.matrix == "rgb" else 1}[e.sampling]
    colorimetry = 2 if e.primaries == "bt2020" else 3 if e.primaries in ("p3", "p3-dci") else 0
    third = sampling
    if way.payload_first >= 0xC0 or way.payload_first == 0x97:
        third |= colorimetry << 4 | (0x40 if fmt.raster.width == 4096 else 0)
    elif way.raster.of_sd:
        third |= 0x80 if fmt.raster.display_aspect == SIXTEEN_NINE else 0
    else:  # bits 7 and 4 (ST 292-1, ST 425-1)
        third |= (colorimetry >> 1) << 7 | (colorimetry & 1) << 4 | (0x40 if fmt.raster.width == 2048 else 0)
        if way.payload_first in _OF_HD and fmt.raster.display_aspect == SIXTEEN_NINE:
            third |= 0x20
    depth = DEPTHS.index((12 if e.bit_depth == 12 else 10, e.range))
    shift = 5 if way.division == "pairs" else 6
    return way.payload_first, second, third, channel << shift | depth


def read_payload(data: tuple[int, int, int, int]) -> Payload:
    """Return what four bytes say; whatever they are."""
    first, second, third, fourth = data
    interface, lines = INTERFACE_OF.get(first, (None, None))
    rate = RATE_CODES.get(second & 0xF)
    sampling, rgb = SAMPLINGS.get(third & 0xF, (None, False))
    sixteen_nine = bool(third & 0x80 if interface == "SD" else third & 0x20 and interface == "HD")
    if interface == "SD":
        wide, colour = False, 0
    elif lines == 2160:
        wide, colour = bool(third & 0x40), third >> 4 & 3
    else:
        wide, colour = bool(third & 0x40), (third >> 7) << 1 | third >> 4 & 1
    bits, levels = DEPTHS[fourth & 3]
    return Payload(
        interface=interface,
        lines=lines,
        transport="progressive" if second & 0x80 else "interlaced",
        picture="progressive" if second & 0x40 else "interlaced",
        rate=None if rate is None else NAMED_RATES[rate],
        transfer=TRANSFERS[second >> 4 & 3],
        sixteen_nine=sixteen_nine,
        wide=wide,
        colorimetry=COLORIMETRIES[colour],
        sampling=sampling,
        rgb=rgb,
        bits=bits,
        range=levels,
        channel=fourth >> (5 if lines == 2160 else 6),
    )


def payload_text(data: tuple[int, int, int, int]) -> str:
    """Return the identifier as it is written: 0x89CA0001."""
    return "0x" + "".join(f"{number:02X}" for number in data)
