"""The bench: one picture converted by several policies, with what can be said of each in figures."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from time import perf_counter
from typing import Any

import numpy as np

from idle_quarry.media.coding.converting import frames_and_speed
from idle_quarry.media.material import Material
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps import ColourStep, DepthStep, RateStep
from idle_quarry.picture.figures import (
    banding,
    combing,
    outside,
    twitter,
)
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.metrics import IDENTICAL_DB, psnr_db, ssim
from idle_quarry.picture.patterns.charts import chart_truth
from idle_quarry.picture.planes import Planes, to_rgb
from idle_quarry.picture.seen import Rgb8, seen
from idle_quarry.proof.figures import Figure, _response, colour_error, filter_figures, judder, luma_of, luma_of_rgb
from idle_quarry.signal.formats import CHROMA_STEPS, SignalFormat
from idle_quarry.signal.rasters import Raster
from idle_quarry.signal.rates import rate_text

Shown = Rgb8

#: Bytes of converted stills kept.
KEPT_BYTES = 400_000_000
#: However large they are: two frames of four pictures, the shortest loop there is.
_KEPT_AT_LEAST = 8
#: About how many stills' bytes the moments take that a conversion keeps.
_MOMENTS = 8
#: Figures of colour are taken from every so-manieth sample and line.
_THIN = 4
#: A conversion that took so many seconds is not timed a second time.
_LONG = 3.0
#: A whole picture that is converted in fewer seconds needs no coarse one before it.
_SOON = 0.15
#: Targets of so many lines are first shown coarse.
_COARSE_FROM = 700
#: A coarse picture has one sample and line for so many.
_COARSE_BY = 4
#: What stands in for slow methods in a coarse picture: part, method, and the quick one.
_QUICKER = (
    ("light", "linear", "coded"),
    ("scan", "compensated", "adaptive"),
    ("retime", "compensated", "blend"),
    ("rounding", "diffuse", "round"),
    ("rounding", "dither", "round"),
)


@dataclass(frozen=True)
class Still:
    """One converted frame: codes in the target's encoding, R′G′B′ to look at (h, w, 3), and how long it took, seconds.

    A coarse one has fewer samples, each shown several times, and no codes.
    """

    policy: Policy
    index: int
    codes: Planes
    shown: Shown
    seconds: float
    coarse: bool = False

    @property
    def bytes(self) -> int:
        return self.shown.nbytes + sum(plane.nbytes for plane in self.codes)


def still_bytes(fmt: SignalFormat) -> int:
    """Return the bytes of a still in a format: R′G′B′ of 8 bits to look at, and its codes."""
    across, down = CHROMA_STEPS[fmt.encoding.sampling]
    samples = fmt.raster.width * fmt.raster.height
    return 3 * samples + 2 * (samples + 2 * (samples // (across * down)))


class Bench:
    """One link and one material. `still` may be called from any thread; each policy is converted by one at a time."""

    def __init__(self, material: Material, target: SignalFormat) -> None:
        self.material, self.target = material, target
        self._conversions: OrderedDict[Policy, tuple[Conversion, threading.Lock]] = OrderedDict()
        # each keeps some whole moments of its source: several hundred megabytes of 2160 lines
        self._most_conversions = max(1, KEPT_BYTES // (_MOMENTS * max(map(still_bytes, (material.format, target)))))
        self._stills: OrderedDict[tuple[Policy, int], Still] = OrderedDict()
        self._bytes = 0
        self._took: dict[Policy, float] = {}
        self._true: tuple[Any, Any] | None = None
        self._lock = threading.Lock()

    @property
    def source(self) -> SignalFormat:
        return self.material.format

    def conversion(self, policy: Policy) -> Conversion:
        """Return a conversion of its own, for one thread. Raises `NotPossible` where the policy refuses."""
        return Conversion(self.source, self.target, policy)

    def frames(self, policy: Policy) -> int:
        """Return how many output frames the material gives."""
        return frames_and_speed(self.material, self.target, policy)[0]

    def still(self, policy: Policy, index: int) -> Still:
        """Return output frame `index` under a policy; from the kept ones where it is there.

        Raises `NotPossible` where the policy refuses, and `MediaError` where the material cannot be read.
        """
        still = self.still_of(policy, index)
        if still is not None:
            return still
        with self._lock:
            if policy not in self._conversions:
                self._conversions[policy] = (self.conversion(policy), threading.Lock())
            self._conversions.move_to_end(policy)
            if len(self._conversions) > self._most_conversions:
                self._conversions.popitem(last=False)
            conversion, alone = self._conversions[policy]
        with alone:
            for needed in self._needed(conversion, index):
                self.material.frame(needed)  # reading is not converting: it does not count
            start = perf_counter()
            codes = conversion.codes(index, self.material.frame)
            seconds = perf_counter() - start
        result = Still(policy, index, codes, seen(codes, self.target.encoding), seconds)
        with self._lock:
            self._took[policy] = seconds
            self._stills[policy, index] = result
            self._bytes += result.bytes
            while self._bytes > KEPT_BYTES and len(self._stills) > _KEPT_AT_LEAST:
                self._bytes -= self._stills.popitem(last=False)[1].bytes
        return result

    def soon(self, policy: Policy) -> bool:
        """Return whether a whole picture is likely there as soon as one notices: judged by how long others were
        converted.
        """
        with self._lock:
            alike = [seconds for item, seconds in self._took.items() if _slow(item) == _slow(policy)]
            return min(alike, default=_SOON) < _SOON

    def coarse(self, policy: Policy, index: int) -> Still | None:
        """Return a quick picture of a few of the samples, by the nearest quick methods; None where it would not help.

        Raises what `still` raises.
        """
        if self.soon(policy):
            return None
        raster = self.target.raster
        by = _COARSE_BY
        if raster.height < _COARSE_FROM or raster.width % by or raster.height % by or policy.fit == "same":
            return None
        small = Raster(raster.width // by, raster.height // by, raster.pixel_aspect)
        interlaced = self.target.scan == "interlaced"
        target = SignalFormat(
            small, self.target.moments if interlaced else self.target.rate, encoding=self.target.encoding
        )
        conversion = Conversion(self.source, target, _quick(policy))
        codes = conversion.codes(2 * index if interlaced else index, self.material.frame)
        pixels = seen(codes, target.encoding).repeat(by, axis=0).repeat(by, axis=1)
        return Still(policy, index, (), pixels, 0.0, coarse=True)

    def still_of(self, policy: Policy, index: int) -> Still | None:
        """Return a still that was made before, or None."""
        with self._lock:
            still = self._stills.get((policy, index))
            if still is not None:
                self._stills.move_to_end((policy, index))
            return still

    def _needed(self, conversion: Conversion, index: int) -> Sequence[int]:
        origins = conversion.origins(index)
        first, last = min(origin.moments[0] for origin in origins), max(origin.moments[-1] for origin in origins)
        if self.source.scan == "interlaced":
            return range(first // 2 - 1, last // 2 + 2)
        return range(first, last + 1)

    def shown_moments(self, policy: Policy, first: int, count: int) -> tuple[tuple[int, float], ...]:
        """Return for `count` output moments from frame `first` on which source moment each shows, and its mix with
        the next.
        """
        conversion = self.conversion(policy)
        results: list[tuple[int, float]] = []
        index = first
        while len(results) < count:
            results += [(origin.first, origin.phase) for origin in conversion.origins(index)]
            index += 1
        return tuple(results[:count])

    def shown_words(self, policy: Policy, index: int) -> str:
        """Return which source pictures an output frame shows, in words."""
        fields = self.source.scan == "interlaced"
        shown = []
        for origin in self.conversion(policy).origins(index):
            name = f"field {origin.first % 2 + 1} of {origin.first // 2}" if fields else f"{origin.first}"
            if origin.weights:
                name = " + ".join(f"{share * 100:.0f} % of {n}" for n, share in origin.weights)
            elif origin.phase:
                name += f" and {'the next' if fields else origin.first + 1}, {100 * origin.phase:.0f} % on"
            shown.append(name)
        if len(set(shown)) == 1:
            shown = shown[:1]
        return f"shows source {'picture ' if not fields else ''}{'; '.join(shown)}, at {rate_text(self.target.rate)}"

    # -- figures ---------------------------------------------------------------------------------------

    def figures(self, still: Still, beside: Still | None = None) -> list[Figure]:
        """Return what can be said of a still: against the truth where it is known, else against `beside`."""
        conversion = self.conversion(still.policy)
        luma = luma_of(still.codes, self.target)
        figures: list[Figure] = []
        if self.material.chart is not None:
            truth = self._truth(conversion, still.index)
            figures += _against(luma, truth, "to the truth")
        elif beside is not None and beside is not still:
            figures += _against(luma, luma_of(beside.codes, self.target), "to the first")
        figures += self._motion(conversion, luma)
        figures += self._colour(conversion, still)
        where = conversion.plan.placement
        if where is not None and where.scales:
            figures += filter_figures(_response(self.source, self.target, still.policy))
        if self.material.chart == "ramps" and conversion.plan.step(DepthStep) is not None:
            run, step = banding(still.codes[0])
            figures.append(
                Figure("longest flat run", f"{run} samples", run, "less", "Of the ramp's middle line: bands.")
            )
            figures.append(Figure("largest step", f"{step:g} codes", step, "less"))
        return [*figures, self.cost(still, self._seconds_again(conversion, still))]

    def _truth(self, conversion: Conversion, index: int) -> Any:
        """Return the luma a perfect conversion gives.

        The same for all methods that put the picture in the same place.
        """
        key = conversion.plan.placement, conversion.method == "speed", index
        if self._true is None or self._true[0] != key:
            assert self.material.chart is not None
            self._true = key, luma_of_rgb(chart_truth(self.material.chart, conversion, index), self.target)
        return self._true[1]

    def rest(self) -> None:
        """Let go of what only working needs: nothing is converted or measured for now."""
        self._true = None
        with self._lock:
            self._conversions.clear()  # each keeps whole moments of its source; it is made anew in milliseconds
        self.material.close()

    def forget_stills(self) -> None:
        """Let go of every picture: nobody looks at them, and they are made again from the same material."""
        with self._lock:
            self._stills.clear()
            self._bytes = 0

    def _seconds_again(self, conversion: Conversion, still: Still) -> float:
        """Return the seconds of a second conversion where that is not long: the first made tables and shared the
        machine.
        """
        if still.seconds > _LONG:
            return still.seconds
        start = perf_counter()
        conversion.codes(still.index, self.material.frame)
        seconds = min(still.seconds, perf_counter() - start)
        with self._lock:
            self._took[still.policy] = seconds
        return seconds

    def cost(self, still: Still, seconds: float | None = None) -> Figure:
        """Return how long the conversion takes on this machine, and what share of real time that is."""
        seconds = still.seconds if seconds is None else seconds
        times = 1 / max(seconds, 1e-6) / float(self.target.rate)
        text = f"{1000 * seconds:.0f} ms, {times:.2g} ×{', slow' if times < 1 else ''}"
        explained = "A picture, measured on this machine, and × real time; below 1 it is slow: it cannot keep up."
        return Figure("cost here", text, times, "more", explained, warns=times < 1)

    def _motion(self, conversion: Conversion, luma: Any) -> list[Figure]:
        figures = []
        source, target = self.source, self.target
        if source.scan == "interlaced" or target.scan == "interlaced":
            share = combing(_at_source_lines(luma, conversion))
            if target.scan != "interlaced":
                figures.append(
                    Figure("combing", f"{100 * share:.2g} %", share, "less", "Places that stand out line by line.")
                )
        if target.scan == "interlaced":
            value = twitter(luma)
            figures.append(
                Figure("twitter", f"{value:.2g} %", value, "less", "Detail that only one field has; it flickers.")
            )
        if conversion.plan.step(RateStep) is not None or source.moments != target.moments:
            value = judder(conversion)
            figures.append(Figure("judder", f"{value:.1f} ms", value, "less", "How far motion is from even in time."))
        return figures

    def _colour(self, conversion: Conversion, still: Still) -> list[Figure]:
        if conversion.plan.step(ColourStep) is None:
            return []
        origin = conversion.origins(still.index)[0].first
        frame = self.material.frame(origin // 2 if self.source.scan == "interlaced" else origin)
        rgb = tuple(channel[::_THIN, ::_THIN] for channel in to_rgb(frame, self.source.encoding))
        out = outside(rgb, self.source, self.target)
        error = colour_error(rgb, self.source, self.target, still.policy)
        worst = float(np.percentile(error, 99))
        return [
            Figure(
                "ΔE ITP",
                f"{error.mean():.2f}, 99 % under {worst:.1f}",
                float(error.mean()),
                "less",
                "BT.2124, of each colour to itself as the target shows it; 1 is just seen.",
            ),
            Figure(
                "outside the gamut",
                f"{100 * out.gamut:.2g} %",
                out.gamut,
                "",
                "Of the picture: colours the target's primaries cannot make.",
            ),
            Figure(
                "clipped",
                f"{100 * out.clipped:.2g} %",
                out.clipped,
                "",
                "Of the picture: light beyond the target's white.",
            ),
        ]


def _slow(policy: Policy) -> tuple[bool, ...]:
    """Return which of a policy's methods take many times as long as others."""
    return policy.scan == "compensated", policy.retime == "compensated", policy.rounding == "diffuse"


def _quick(policy: Policy) -> Policy:
    """Return a policy whose slow methods are the nearest quick ones."""
    return policy.with_parts(**{part: method for part, slow, method in _QUICKER if getattr(policy, part) == slow})


def _at_source_lines(luma: Any, conversion: Conversion) -> Any:
    """Return a picture's lines where the source's lie, so that a comb is one line thick however much it was
    enlarged.
    """
    where = conversion.plan.placement
    if where is None or where.scale_y <= 1:
        return luma
    lines = np.arange(conversion.source.raster.height) + 0.5
    places = np.floor(lines * float(where.scale_y) + float(where.offset_y)).astype(int)
    return luma[places[(places >= 0) & (places < luma.shape[0])]]


def _against(luma: Any, other: Any, what: str) -> list[Figure]:
    ratio, like = psnr_db(luma, other), ssim(luma, other)
    text = "identical" if ratio >= IDENTICAL_DB else f"{ratio:.1f} dB"
    return [
        Figure(f"PSNR {what}", text, ratio, "more", "Of luma: 20 dB is plain to see, 50 dB is not."),
        Figure(f"SSIM {what}", f"{like:.4f}", like, "more", "Likeness of structure; 1 is the same."),
    ]
