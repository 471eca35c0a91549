"""Where samples of a picture travel in the picture part of a line's streams: written.

4:2:2 of ten bits has a stream for luma and one for colour differences (ST 274, ST 296; in SD they share one, ST 125).
4:4:4 of ten bits and twelve bits take two words a sample: structures 2, 3 and 4 of ST 425-1, table 1; over level B two
links (ST 372). 4:2:0 sends the colour differences of a pair of lines with the first of them and 200h with the second.
2160 lines are cut into four pictures, by pairs of samples (ST 425-5, ST 2081-10, ST 2082-10) or into quarters.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from idle_quarry.line.transport import Transport
from idle_quarry.line.words import BLANK_Y, FIRST_CODE, LAST_CODE, Words, with_complement, with_parity
from idle_quarry.signal.formats import SignalFormat

Planes = tuple[NDArray[np.uint16], NDArray[np.uint16], NDArray[np.uint16]]


def lay_pictures(link: Words, fmt: SignalFormat, way: Transport, number: int, pictures: Sequence[Planes]) -> None:
    """Put pictures into the words of a link; codes that timing references keep for themselves become their neighbours.

    Parameters
    ----------
    link
        (lines, words, streams), changed in place.
    fmt, way
        The format, and how it travels.
    number
        The link, from 0.
    pictures
        Planes of code values at the format's depth: luma and colour differences, or G, B, R; chroma as the format
        samples it. There are as many as the way has in a frame: two for links of ST 372 above 30 a second, and for two
        pictures.
    """
    shift = max(0, 10 - fmt.encoding.bit_depth)
    pictures = [_every_line(row, fmt) for row in pictures]
    if way.division == "lines":  # a picture in each field's lines of both links, its rows in turn
        first_of = [span[0] - 1 for span in way.raster.active]
        for top, picture in zip(first_of, pictures, strict=True):
            for part in (0, 1):
                rows = top + np.arange(way.height // 2)
                y, cb, cr = (plane[part::2] for plane in picture)
                _lay_422(link, way, part, rows, (y, cb, cr), shift)
        return
    rows = np.array([line - 1 for line, _ in way.raster.picture_lines(way.height)])
    if way.division == "links":
        _lay_two_links(link, way, rows, pictures[0])
        return
    for part, planes in _parts(fmt, way, number, pictures):
        if way.mapping == "4:2:2":
            _lay_422(link, way, part, rows, planes, shift)
        else:
            _lay_doubled(link, way, part, rows, planes)


def _parts(fmt: SignalFormat, way: Transport, number: int, pictures: Sequence[Planes]) -> Iterator[tuple[int, Planes]]:
    """Yield what belongs into link `number`: each part's place in it and its planes."""
    if way.parts == 1:
        yield 0, pictures[0]
    elif way.division == "two pictures":
        yield from enumerate(pictures)
    else:
        cut = quarter_of if way.division == "square" else pairs_of
        wanted = [number] if way.interface.links == 4 else range(4)
        for part in wanted:
            results = tuple(cut(plane, part, luma=plane.shape[1] == fmt.raster.width) for plane in pictures[0])
            yield 0 if way.interface.links == 4 else part, (results[0], results[1], results[2])


def pairs_of(plane: NDArray[np.uint16], part: int, *, luma: bool = True) -> NDArray[np.uint16]:
    """Return the quarter that a link of two-sample interleave carries: of each four samples of every second line a
    pair.

    Colour differences at half the samples are taken one by one, each with the pair it belongs to.
    """
    lines = plane[part // 2 :: 2]
    if not luma:
        return lines[:, part % 2 :: 2]
    height, width = lines.shape
    return lines.reshape(height, width // 4, 4)[:, :, part % 2 * 2 : part % 2 * 2 + 2].reshape(height, width // 2)


def quarter_of(plane: NDArray[np.uint16], part: int, *, luma: bool = True) -> NDArray[np.uint16]:
    """Return the quarter of a picture: upper left, upper right, lower left, lower right."""
    height, width = plane.shape
    down, across = height // 2, width // 2
    return plane[part // 2 * down : (part // 2 + 1) * down, part % 2 * across : (part % 2 + 1) * across]


def _every_line(planes: Planes, fmt: SignalFormat) -> Planes:
    """Return planes with colour differences for every line: of 4:2:0 each line's own, 200h where it has none."""
    y, cb, cr = planes
    height = y.shape[0]
    if cb.shape[0] == height:
        return planes
    fields = 2 if fmt.scan == "interlaced" else 1
    results = []
    for plane in (cb, cr):
        whole = np.full((height, plane.shape[1]), 1 << (fmt.encoding.bit_depth - 1), np.uint16)
        for field in range(fields):
            whole[field :: 2 * fields] = plane[field::fields]
        results.append(whole)
    return y, results[0], results[1]


def _codes(plane: NDArray[np.uint16], shift: int) -> Words:
    codes = np.asarray(plane << shift, np.uint16) if shift else plane
    low, high = int(codes.min()), int(codes.max())
    return codes if low >= FIRST_CODE and high <= LAST_CODE else np.clip(codes, FIRST_CODE, LAST_CODE).astype(np.uint16)


def _lay_422(link: Words, way: Transport, part: int, rows: NDArray[np.int64], planes: Planes, shift: int) -> None:
    y, cb, cr = (_codes(plane, shift) for plane in planes)
    begin = way.sav + 4
    if way.raster.of_sd:
        for at, step, plane in ((1, 2, y), (0, 4, cb), (2, 4, cr)):
            link[rows, begin + at :: step, 0] = plane
        return
    down = _sliced(rows)
    chroma, luma = link[:, :, way.chroma_at(part)], link[:, :, way.luma_at(part)]
    for lines, of in down:
        luma[lines, begin:] = y[of]
        chroma[lines, begin::2] = cb[of]
        chroma[lines, begin + 1 :: 2] = cr[of]


def _sliced(rows: NDArray[np.int64]) -> list[tuple[slice, slice]]:
    """Return slices of lines and of picture rows that say the same as `rows`: numbers one after the other, or two
    such in turn.
    """
    if len(rows) < 2 or rows[1] == rows[0] + 1:
        return [(slice(int(rows[0]), int(rows[-1]) + 1), slice(0, len(rows)))]
    return [(slice(int(rows[n]), int(rows[n]) + len(rows[n::2])), slice(n, None, 2)) for n in (0, 1)]


def _lay_doubled(link: Words, way: Transport, part: int, rows: NDArray[np.int64], planes: Planes) -> None:
    g, b, r = planes
    first, second = np.empty((2, len(rows), 2 * way.width), np.uint16)
    if way.mapping == "4:4:4":  # structure 2: G R, and B with an unused channel
        first[:, 0::2], first[:, 1::2] = _codes(g, 0), _codes(r, 0)
        second[:, 0::2], second[:, 1::2] = _codes(b, 0), BLANK_Y
    elif way.mapping == "4:4:4 12":  # structure 3: three bits of each in nine
        for at, (shift_first, shift_second) in enumerate(((9, 6), (3, 0))):
            first[:, at::2], second[:, at::2] = (
                with_complement((r >> s & 7) << 6 | (g >> s & 7) << 3 | (b >> s & 7))
                for s in (shift_first, shift_second)
            )
    else:  # structure 4: six bits in a word with parity
        chroma = np.empty_like(g)
        chroma[:, 0::2], chroma[:, 1::2] = b, r
        for stream, plane in ((first, g), (second, chroma)):
            stream[:, 0::2], stream[:, 1::2] = with_parity(plane >> 6 & 0x3F), with_parity(plane & 0x3F)
    begin = way.sav + 4
    for lines, of in _sliced(rows):
        link[lines, begin:, way.luma_at(part)] = first[of]
        link[lines, begin:, way.chroma_at(part)] = second[of]


def _lay_two_links(link: Words, way: Transport, rows: NDArray[np.int64], planes: Planes) -> None:
    """Lay 4:4:4 of ten bits over two links: G with even B and R over A, odd B and R with an unused channel over B
    (ST 372).
    """
    g, b, r = (_codes(plane, 0) for plane in planes)
    begin = way.sav + 4
    for lines, of in _sliced(rows):
        link[lines, begin:, way.luma_at(0)] = g[of]
        link[lines, begin:, way.luma_at(1)] = BLANK_Y
        for part in (0, 1):
            link[lines, begin::2, way.chroma_at(part)] = b[of, part::2]
            link[lines, begin + 1 :: 2, way.chroma_at(part)] = r[of, part::2]
