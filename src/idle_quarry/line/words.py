"""Words of ten bits and what protects them: timing references, parity, and the numbers the standards reserve.

Sources: SMPTE ST 125, ITU-R BT.656-5 (timing references), ST 292-1 (line numbers, CRC), ST 291-1 (ancillary packets),
RP 165.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Words = NDArray[np.uint16]

#: Blanking: luma, and colour differences.
BLANK_Y, BLANK_C = 0x040, 0x200
#: Codes that timing references keep for themselves lie below the first or above the last.
FIRST_CODE, LAST_CODE = 4, 1019
ADF = (0x000, 0x3FF, 0x3FF)
#: Fourth word of a timing reference by F V H, as ST 125 and ST 292-1 print them.
XYZ = (0x200, 0x274, 0x2AC, 0x2D8, 0x31C, 0x368, 0x3B0, 0x3C4)
_XYZ_INDEX = {word: index for index, word in enumerate(XYZ)}


def reference(f: int, v: int, h: int) -> int:
    """Return the fourth word of a timing reference."""
    return XYZ[f * 4 + v * 2 + h]


def mended_reference(word: int) -> tuple[int, int, int] | None:
    """Return F, V and H of a timing reference's fourth word, one wrong bit of it mended; None where more are wrong.

    The protection bits make the distance of any two words four (ST 125, annex).
    """
    index = _XYZ_INDEX.get(word)
    if index is None:
        near = [n for n, number in enumerate(XYZ) if (number ^ word).bit_count() == 1]
        if len(near) != 1:
            return None
        index = near[0]
    return index >> 2 & 1, index >> 1 & 1, index & 1


def with_parity(values: NDArray[np.integer] | int) -> Words:
    """Return bytes as ancillary words: b8 makes parity even, b9 is its complement (ST 291-1)."""
    byte = np.asarray(values).astype(np.uint16) & 0xFF
    folded = byte ^ (byte >> 4)
    folded ^= folded >> 2
    folded ^= folded >> 1
    return np.asarray(byte | np.where(folded & 1, 0x100, 0x200).astype(np.uint16), np.uint16)


def with_complement(values: NDArray[np.integer] | int) -> Words:
    """Return values of nine bits with b9 the complement of b8."""
    nine = np.asarray(values).astype(np.uint16) & 0x1FF
    return np.asarray(nine | ((~nine & 0x100) << 1), np.uint16)


def checksum(words: NDArray[np.integer]) -> Words:
    """Return the checksum of packets (…, n) from DID to the last word of data: nine bits of their sum (ST 291-1)."""
    return with_complement(np.sum(np.asarray(words, np.int64) & 0x1FF, axis=-1) & 0x1FF)


def line_number_words(line: int) -> tuple[int, int]:
    """Return LN0 and LN1 of a line (ST 292-1)."""
    low, high = (line & 0x7F) << 2, (line >> 7 & 0xF) << 2
    return low | (~low & 0x100) << 1, high | 0x200


def line_number_of(ln0: int, ln1: int) -> int:
    """Return the line that LN0 and LN1 tell, whatever their other bits are."""
    return (ln0 >> 2 & 0x7F) | (ln1 >> 2 & 0xF) << 7


def _table(polynomial_reflected: int) -> NDArray[np.uint32]:
    table = np.zeros(1024, np.uint32)
    for word in range(1024):
        register = word
        for _ in range(10):
            register = register >> 1 ^ (polynomial_reflected if register & 1 else 0)
        table[word] = register
    return table


#: Ten bits of a register at a time. CRC-18 is x¹⁸ + x⁵ + x⁴ + 1 (ST 292-1), CRC-16 x¹⁶ + x¹² + x⁵ + 1 (RP 165); bits
#: are sent lowest first, so that registers are mirrored and what is called CRC0 is their highest power.
CRC_18 = _table(0x23000)
CRC_16 = _table(0x8408)
