"""Error detection of SD lines, written: codes over the picture and the whole field (SMPTE RP 165)."""

from __future__ import annotations

import numpy as np

from idle_quarry.line import kernels
from idle_quarry.line.rasters import Span
from idle_quarry.line.transport import Transport
from idle_quarry.line.words import CRC_16, Words
from idle_quarry.line.writing.packets import EDH, packet


def covered(stream: Words, span: Span, begin: int) -> Words:
    """Return the words from `begin` of a span's first line to the end of its last, which may lie in the next
    frame's lines.

    `begin` is behind EAV for a whole field, or where the picture begins; a picture's code takes that part of each line.
    """
    first, last = span
    rows = stream[first - 1 : last] if last >= first else np.concatenate([stream[first - 1 :], stream[:last]])
    return np.ascontiguousarray(rows[:, begin:]).reshape(-1)


def whole_field(stream: Words, span: Span) -> Words:
    """Return the words of a full field: from behind the first line's EAV to the end of the last line."""
    first, last = span
    rows = stream[first - 1 : last] if last >= first else np.concatenate([stream[first - 1 :], stream[:last]])
    return np.ascontiguousarray(rows).reshape(-1)[4:]


def edh_data(picture: int, field: int) -> list[int]:
    """Return the sixteen words of data: both codes, each marked valid, and no error flags."""

    def three(code: int) -> list[int]:
        return [(code & 0x3F) << 2, (code >> 6 & 0x3F) << 2, (code >> 12 & 0xF) << 2 | 0x40 << 1]

    return [*three(picture), *three(field), *[0] * 10]


def lay_edh(frame: Words, before: Words | None, way: Transport) -> None:
    """Put the packets of both fields into a finished frame (lines, words, 1).

    `before` is the frame before, where there was one.

    The packet of field 1 covers the field before it: the second of the frame before, which a line that begins with this
    frame has not sent; its own frame's stands for it then.
    """
    stream = frame[:, :, 0]
    last = stream if before is None else before[:, :, 0]
    # the field that ended before line 5 (9) is the second of the frame before, and its last lines lie in this frame
    joined = np.concatenate([last, stream])
    lines = way.raster.lines
    first, second = way.raster.edh
    for line, span, picture in (
        (second, way.raster.edh_full[0], way.raster.edh_active[0]),
        (first, _behind(way.raster.edh_full[1], lines), way.raster.edh_active[1]),
    ):
        source = stream if line == second else joined
        codes = [
            kernels.code_of(covered(source, picture, way.sav + 4), CRC_16),
            kernels.code_of(whole_field(source, span), CRC_16),
        ]
        words = packet(EDH, 0, edh_data(*codes))
        stream[line - 1, way.sav - len(words) : way.sav] = words


def _behind(span: Span, lines: int) -> Span:
    """Return the second field's span in the lines of two frames, one after the other."""
    return span[0], span[1] + lines
