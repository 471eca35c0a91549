"""Every picture of a file looked at once, as it is decoded: fields, levels, gamut, black, held pictures, flashes,
patterns, light.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import QuarryError
from idle_quarry.media.clip import Clip
from idle_quarry.media.gop import FrameTimecode
from idle_quarry.media.measurement.active import ActiveMeter
from idle_quarry.media.measurement.field_pairs import PairMeter
from idle_quarry.media.measurement.field_structure import evidence
from idle_quarry.media.measurement.fields import LEAST_CONFIDENCE, ExaminedRun, described, guess_of
from idle_quarry.media.measurement.results import ActivePicture
from idle_quarry.media.pictures import Picture, Reader
from idle_quarry.media.whole.bars import _lines, shows_bars
from idle_quarry.media.whole.flashes import PAIRS, PATTERN_MOVING, PATTERN_STILL, FlashMeter, striped
from idle_quarry.media.whole.light import (
    CELLS,
    TABLE,
    difference_gains,
    light_of,
    light_table,
    means_of_cells,
)
from idle_quarry.media.whole.picture_measurement import (
    BARS,
    BLACK,
    MOVING,
    STILL,
    FieldsRun,
    FrameSpan,
    PictureMeasurement,
    PicturePart,
)
from idle_quarry.picture.colour import LUMA_2020
from idle_quarry.picture.loops import whole as loops
from idle_quarry.signal.colour import is_hdr
from idle_quarry.signal.formats import Encoding
from idle_quarry.signal.levels import Levels
from idle_quarry.signal.timecode import Timecode, start_timecode

#: Every so manieth colour sample is looked at for the light of cells; values of a table for the brightest pixel.
_THIN, _FINE = 5, 1 << 14
#: Peak light of SDR on a screen, cd/m² (BT.1702), of HLG (BT.2100's reference display), of PQ.
_PEAK = {"hlg": 1000.0, "pq": 10000.0}
SDR_PEAK = 200.0
#: Pictures between two that are searched for patterns, seconds.
_PATTERN_S = 0.4
#: Pairs whose evidence is found together.
_CHUNK = 200
#: Between two pictures nothing moves where no block of them differs by more, mean squares of 8-bit codes.
_STILL = 2.5
#: A sample is lit above so much over black, share of the range; black is where fewer are than this share.
_LIT, _BLACK_SHARE = 0.04, 0.001
#: Luma that EBU R 103 allows, shares of the way from black to white.
_LUMA_ALLOWED = (-0.01, 1.03)

#: Breaks of timecode that are told at the most.
_MOST_BREAKS = 1000


class _Spans:
    """Runs of frames in which something holds, as frames come."""

    def __init__(self, gap: int = 0) -> None:
        self.spans: list[FrameSpan] = []
        self._gap = gap

    def take(self, frame: int, figure: float) -> None:
        last = self.spans[-1] if self.spans else None
        if last is not None and frame <= last.last + self._gap:
            self.spans[-1] = FrameSpan(last.first, frame + 1, max(last.figure, figure))
        else:
            self.spans.append(FrameSpan(frame, frame + 1, figure))


class PicturesMeter:
    """Takes the pictures of a clip in order.

    `allowed` are the ends of R′, G′, B′ (EBU R 103) and `area` the share of a picture that may lie beyond them, and
    as much beyond those of luma.
    """

    def __init__(self, clip: Clip, *, allowed: tuple[float, float] = (-0.05, 1.05), area: float = 0.01) -> None:
        fmt = clip.format
        self._encoding = fmt.encoding if fmt is not None else Encoding()
        self._rate = clip.declared.rate or Fraction(25)
        declared = clip.declared
        self._fields = 2 if (fmt is not None and fmt.scan == "interlaced") or declared.scan == "interlaced" else 1
        self._lower_first = (fmt.field_order if fmt is not None else declared.field_order) == "bottom"
        self._allowed, self._area = allowed, area
        self._hdr = is_hdr(self._encoding.transfer)
        peak = _PEAK.get(self._encoding.transfer, SDR_PEAK)
        self._light = light_table(self._encoding, peak)
        fine = np.linspace(0, 1, _FINE, dtype=np.float32)
        self._pixel_light = light_of(self._encoding, peak, fine) if self._hdr else np.empty(0, np.float32)
        # the reference display's system gamma, by the luminance of the scene (BT.2100, table 5)
        gamma = np.asarray(np.maximum(fine, 1e-6) ** 0.2, np.float32)
        self._gains = gamma if self._encoding.transfer == "hlg" else np.empty(0, np.float32)
        self._pairs = PairMeter()
        self._runs: list[ExaminedRun] = []
        self._moved: list[float] = []
        self._flash = FlashMeter(float(self._rate) * self._fields, self._encoding.primaries)
        self._active = ActiveMeter()
        self._luma_out, self._luma_most = _Spans(), 0.0
        self._gamut, self._patterns = _Spans(), _Spans(int(self._rate * Fraction(1, 2)))
        self._kinds: dict[str, int] = {}
        self._parts: list[PicturePart] = []
        self._frames = self._below = self._above = self._samples = 0
        self._lowest, self._highest, self._bits = 1 << 30, -1, 8
        self._gamut_most, self._rgb = 0.0, (9.0, -9.0)
        self._cll = self._fall = 0.0
        self._seconds: list[tuple[int, int]] = []
        self._means: list[float] = []
        self._timecodes: list[tuple[int, str]] = []
        self._last_timecode: tuple[int, Timecode] | None = None
        self._bars_in_run: bool | None = None
        self._result = np.zeros(5, np.int64)
        self._pixels = np.zeros(5, np.float64)

    def take(self, picture: Picture) -> None:
        """Look at a picture."""
        frame = self._frames
        self._bits = picture.bits
        self._kinds[" · ".join(part for part in picture.kind if part)] = frame
        levels = Levels(picture.bits, self._encoding.range == "narrow" and picture.rgb is None)
        dark = levels.black + round(_LIT * (levels.white - levels.black))
        luma, span = _lines(picture.luma), levels.white - levels.black
        least, most = (round(levels.black + share * span) for share in _LUMA_ALLOWED)
        loops.extremes(luma, picture.luma.shape[1], least, most, dark, self._result)
        low, high, below, above, lit = (int(item) for item in self._result)
        self._lowest, self._highest = min(self._lowest, low), max(self._highest, high)
        self._below += below
        self._above += above
        self._samples += picture.luma.size
        beyond = (below + above) / picture.luma.size
        self._luma_most = max(self._luma_most, beyond)
        if beyond > self._area:
            self._luma_out.take(frame, beyond)
        second = int(frame / self._rate)
        if second == len(self._seconds):
            self._seconds.append((low, high))
        else:
            self._seconds[-1] = min(self._seconds[-1][0], low), max(self._seconds[-1][1], high)
        self._pairs.take(picture.luma, picture.bits)
        latest = self._pairs.latest
        differs = latest[3:5].max(axis=0) if latest is not None and self._frames else None
        moved = float(differs.max()) if differs is not None else float("inf")
        area = float((differs > _STILL).mean()) if differs is not None else 1.0
        self._moved.append(moved)
        if len(self._moved) % _CHUNK == 0:
            self._drain()
        black = lit <= _BLACK_SHARE * picture.luma.size
        cells = self._cells(picture, levels)
        order = (1, 0) if self._fields == 2 and self._lower_first else range(self._fields)
        for parity in order:
            self._flash.take(cells[parity])
        mean = float(cells.mean())
        if second == len(self._means):
            self._means.append(mean)
        still = moved <= _STILL
        self._part(frame, black, still, area, picture)
        if frame % max(1, round(_PATTERN_S * float(self._rate))) == 0:
            if not black:
                share, pairs = striped(self._thin(picture, levels))
                if pairs > PAIRS and share > (PATTERN_STILL if still else PATTERN_MOVING):
                    self._patterns.take(frame, share)
            self._active.take(picture)
        self._timecode(frame, picture.timecode)
        self._frames += 1

    def _cells(self, picture: Picture, levels: Levels) -> NDArray[np.float32]:
        """Return the light of cells (fields, rows, columns, 3), and look at gamut and HDR figures on the way."""
        if picture.chroma is None:
            return self._cells_of_rgb(picture, levels)
        cells = np.zeros((self._fields, *CELLS, 3), np.float32)
        counts = np.zeros((self._fields, *CELLS), np.int32)
        cb, cr = picture.chroma
        steps = round(picture.luma.shape[1] / cb.shape[1]), round(picture.luma.shape[0] / cb.shape[0])
        span = float((224 << (picture.bits - 8)) if levels.narrow else (1 << picture.bits) - 1)
        given = (
            _lines(picture.luma),
            _lines(cb),
            _lines(cr),
            (picture.luma.shape[1], cb.shape[1]),
            (*steps, self._fields),
            (float(levels.black), float(levels.chroma_zero)),
            (1 / (levels.white - levels.black), 1 / span),
            difference_gains(self._encoding.matrix),
        )
        loops.coloured(*given, self._light, _THIN, cells, counts)
        loops.every_pixel(*given, self._allowed, self._pixel_light, self._gains, self._pixels)
        outside, lowest, highest, light, brightest = (float(item) for item in self._pixels)
        outside /= picture.luma.size
        self._gamut_most = max(self._gamut_most, outside)
        self._rgb = min(self._rgb[0], lowest), max(self._rgb[1], highest)
        if outside > self._area:
            self._gamut.take(self._frames, outside)
        self._cll, self._fall = max(self._cll, brightest), max(self._fall, light)
        result = np.asarray(cells / np.maximum(counts, 1)[..., None], np.float32)
        if self._encoding.transfer == "hlg":  # the reference display's system gamma, by the luminance of the scene
            scene = result @ LUMA_2020.astype(np.float32) / np.float32(_PEAK["hlg"])
            result = np.asarray(result * np.power(np.maximum(scene, 1e-6), 0.2)[..., None], np.float32)
        return result

    def _cells_of_rgb(self, picture: Picture, levels: Levels) -> NDArray[np.float32]:
        """Return the light of cells of a picture that is coded as R′, G′, B′, or has no colour."""
        cells = np.zeros((self._fields, *CELLS, 3), np.float32)
        source = picture.rgb if picture.rgb is not None else np.repeat(picture.luma[..., None], 3, axis=2)
        span = np.float32(levels.white - levels.black)
        for parity in range(self._fields):
            part = source[parity :: self._fields][:: 2 * _THIN, :: 2 * _THIN]
            values = np.asarray((part.astype(np.float32) - levels.black) / span, np.float32)
            cells[parity] = means_of_cells(
                self._light[np.clip((values + 0.25) * ((TABLE - 1) / 1.5), 0, TABLE - 1).astype(np.int64)]
            )
        if self._hdr:
            values = (source.astype(np.float32) - levels.black) / span
            light = self._pixel_light[np.clip(values * (_FINE - 1) + 0.5, 0, _FINE - 1).astype(np.int64)]
            brightest = light.max(axis=2)
            if len(self._gains):
                scene = light @ LUMA_2020.astype(np.float32) / self._pixel_light[-1]
                brightest = brightest * self._gains[(scene * (_FINE - 1) + 0.5).astype(np.int64)]
            self._cll = max(self._cll, float(brightest.max()))
            self._fall = max(self._fall, float(brightest.sum(dtype=np.float64)))
        return cells

    def _thin(self, picture: Picture, levels: Levels) -> NDArray[np.float32]:
        """Return the light of a small picture, for patterns."""
        across, down = max(1, picture.luma.shape[1] // 480), max(1, picture.luma.shape[0] // 270)
        small = np.empty((picture.luma.shape[0] // down, picture.luma.shape[1] // across), np.float32)
        loops.thinned(picture.luma, across, down, small)
        values = np.asarray((small - levels.black) / (levels.white - levels.black), np.float32)
        return np.asarray(self._looked_up(values), np.float32)

    def _looked_up(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        places = np.clip((values + 0.25) * ((TABLE - 1) / 1.5), 0, TABLE - 1).astype(np.int64)
        return np.asarray(self._light[places], np.float32)

    def _part(self, frame: int, black: bool, still: bool, area: float, picture: Picture) -> None:
        what = BLACK if black else STILL if still else MOVING
        if what == STILL:
            if self._bars_in_run is None:
                self._bars_in_run = shows_bars(picture, self._encoding)
            what = BARS if self._bars_in_run else STILL
        else:
            self._bars_in_run = None
        last = self._parts[-1] if self._parts else None
        if last is not None and last.what == what:
            mean = last.area + (area - last.area) / (last.frames + 1)
            self._parts[-1] = PicturePart(what, last.first, frame + 1, mean)
            return
        first = frame
        # the first picture of what stands still differs from the one before it: it belongs to what follows
        if last is not None and what in (STILL, BARS) and last.what == MOVING:
            first = frame - 1
            self._parts[-1:] = [PicturePart(MOVING, last.first, last.last - 1, last.area)] if last.frames > 1 else []
        self._parts.append(PicturePart(what, first, frame + 1, area))

    def _timecode(self, frame: int, own: FrameTimecode | None) -> None:
        """Note the picture's own timecode where it does not follow on the last one.

        Some codecs give only a group's first picture one.
        """
        if own is None:
            return
        drop, hours, minutes, seconds, frames = own
        text = f"{hours:02d}:{minutes:02d}:{seconds:02d}{';' if drop else ':'}{frames:02d}"
        try:
            now = start_timecode(text, drop, self._rate)
        except QuarryError:
            return
        last = self._last_timecode
        if (last is None or last[1] + (frame - last[0]) != now) and len(self._timecodes) < _MOST_BREAKS:
            self._timecodes.append((frame, text))
        self._last_timecode = frame, now

    def _drain(self) -> None:
        pairs = self._pairs.drained()
        if len(pairs):
            first = self._runs[-1].first + len(self._runs[-1].pairs.likelihood) if self._runs else 0
            self._runs.append(ExaminedRun(first, evidence(pairs)))

    def measurement(self, damaged: int = 0) -> PictureMeasurement:
        """Return what all pictures are."""
        self._drain()
        fields, sure = self._fields_found()
        moved = np.array(self._moved)
        repeats = int((moved[1:] < 1e-3).sum())
        hdr = self._hdr
        flashes = sorted([*self._flash.flashes.spells, *self._flash.reds.spells], key=lambda spell: spell.first)
        per = self._fields
        active = self._active.measurement(self._encoding.range == "narrow")
        return PictureMeasurement(
            frames=self._frames,
            damaged=damaged,
            bits=self._bits,
            kinds=tuple(self._kinds),
            lowest=self._lowest,
            highest=self._highest,
            below=self._below / max(1, self._samples),
            above=self._above / max(1, self._samples),
            fields=fields,
            confidence=sure,
            parts=tuple(self._parts),
            frozen=tuple(FrameSpan(part.first, part.last) for part in self._parts if part.what in (STILL, BARS)),
            repeats=repeats,
            luma_out=tuple(self._luma_out.spans),
            luma_most=self._luma_most,
            gamut=tuple(self._gamut.spans),
            gamut_most=self._gamut_most,
            rgb_lowest=self._rgb[0],
            rgb_highest=self._rgb[1],
            flashes=tuple(replace(flash, first=flash.first // per, last=flash.last // per) for flash in flashes),
            most_flashes=self._flash.flashes.most,
            most_reds=self._flash.reds.most,
            patterns=tuple(self._patterns.spans),
            active=(active.x, active.y, active.width, active.height) if active is not None else None,
            max_cll=self._cll if hdr else None,
            max_fall=self._fall / self._active_pixels(active) if hdr else None,
            timecodes=tuple(self._timecodes),
            luma=tuple(self._seconds),
            light=tuple(round(mean, 2) for mean in self._means),
        )

    def _active_pixels(self, active: ActivePicture | None) -> int:
        """Return over how many pixels the mean of a frame is taken: all, but for bars beside the picture.

        What is less than half of the raster stands in black that is part of the picture.
        """
        whole = max(1, self._samples // max(1, self._frames))
        inside = active.width * active.height if active is not None else whole
        return inside if 2 * inside >= whole else whole

    def _fields_found(self) -> tuple[tuple[FieldsRun, ...], float]:
        runs = [run for run in self._runs if len(run.pairs.likelihood)]
        if not runs:
            return (), 0.0
        guess = guess_of(runs, self._rate)
        if guess.confidence < LEAST_CONFIDENCE:
            return (FieldsRun(0, self._frames, "undetermined", None, None),), guess.confidence
        if len(guess.stretches) > 1:
            return (
                tuple(FieldsRun(s.start, s.stop, s.scan, s.field_order, s.cadence) for s in guess.stretches),
                guess.confidence,
            )
        scan, order, cadence = described(guess.path.best)
        if scan == "progressive" and guess.group == "held":
            cadence = guess.hold.cadence
        return (FieldsRun(0, self._frames, scan, order, cadence),), guess.confidence


def pictures_of(
    clip: Clip, on_progress: Callable[[int], None] | None = None, *, area: float = 0.01
) -> PictureMeasurement:
    """Return what all pictures of a clip are, decoded once; one picture is looked at while the next is decoded.

    `on_progress` hears frames that are done, and may raise to stop. Raises `MediaError` where it cannot be opened.
    """
    meter = PicturesMeter(clip, area=area)
    with Reader(clip.path, clip.declared) as reader, ThreadPoolExecutor(1, thread_name_prefix="quarry meter") as pool:
        ahead: Future[None] | None = None
        for number, picture in enumerate(reader.onward(0)):
            if ahead is not None:
                ahead.result()
            ahead = pool.submit(meter.take, picture)
            if on_progress is not None and number % 10 == 0:
                on_progress(number)
        if ahead is not None:
            ahead.result()
        damaged = reader.damaged
    return meter.measurement(damaged)
