"""A whole link as one conversion of pictures: fields made whole, retimed, fitted, coloured, woven again, coded.

The order is the plan's: scan, rate, fit, colour, range, depth, sampling. Pictures are taken one at a time from a source
of frames, and only those that the frame asked for needs, so that a clip of any length and size streams through.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from idle_quarry.errors import NotPossible
from idle_quarry.path.policies import Policy
from idle_quarry.path.steps import plan
from idle_quarry.path.steps.cadence import cadence_name, is_pulldown, shown_at, weights_at
from idle_quarry.path.steps.pacing import pace, retiming, speed_of
from idle_quarry.path.steps.scan import keeps_fields
from idle_quarry.picture.fields import NEIGHBOURS, made_whole, order_retimed, order_shifted
from idle_quarry.picture.fitting import LinkFitting
from idle_quarry.picture.motion import MotionCache, between, motion, resized
from idle_quarry.picture.planes import Planes, codes_of_planes
from idle_quarry.picture.resampling import PictureFit
from idle_quarry.picture.strips import at_once
from idle_quarry.signal.formats import SignalFormat

Frames = Callable[[int], Planes]

#: Moments made whole that are kept, since neighbouring output frames ask for the same ones: four of them each, two at a
#: time.
_KEPT = 8
#: Frames kept as fields.
_KEPT_FIELDS = 4


@dataclass(frozen=True)
class Origin:
    """Which moments of the source an output moment shows: `first`, or a mix of it and the next at `phase` (0…1).

    Where a mix is weighed by a curve, `weights` has each moment with its share; `first` and `phase` say where its
    middle lies.
    """

    first: int
    phase: float = 0.0
    weights: tuple[tuple[int, float], ...] = ()

    @property
    def moments(self) -> range:
        """The moments that are needed."""
        if self.weights:
            return range(self.weights[0][0], self.weights[-1][0] + 1)
        return range(self.first, self.first + (2 if self.phase else 1))


class Conversion:
    """One link's conversion: ask for any frame of the output. Not to be shared between threads.

    `shift` moves the picture on the target's raster, samples across and lines down. Raises `NotPossible` where the
    policy refuses the material's rate.
    """

    def __init__(
        self, source: SignalFormat, target: SignalFormat, policy: Policy, shift: tuple[float, float] = (0.0, 0.0)
    ) -> None:
        self.source, self.target, self.policy = source, target, policy
        self.plan = plan(source, target, policy)
        self.method = retiming(source, target, policy)
        if self.method == "refuse":
            raise NotPossible("the policy does not take material at this rate", remedy="choose how it is retimed")
        self._pace = pace(source, target, self.method)
        #: source moments in one of those that are retimed: 2 where every second one of fields is left
        self._step = int(source.moments / self._pace[0])
        where = self.plan.placement
        self._fit = (
            PictureFit(*(float(v) for v in (where.scale_x, where.scale_y, where.edge_x, where.offset_y)))
            if where is not None
            else None
        )
        if shift != (0.0, 0.0):
            fit = self._fit or PictureFit(1.0, 1.0)
            self._fit = replace(fit, offset_x=fit.offset_x + shift[0], offset_y=fit.offset_y + shift[1])
        self._lines_change = where is not None and where.scales_lines
        self._fitting = LinkFitting(source, target, policy, self._fit, softens=self._filters)
        self._of: Frames | None = None
        self._whole: OrderedDict[int, Planes] = OrderedDict()
        self._halves: OrderedDict[int, tuple[Planes, Planes]] = OrderedDict()
        self._cache = MotionCache()

    # -- time ------------------------------------------------------------------------------------------

    @property
    def one_moment(self) -> bool:
        """Whether each output frame shows one moment, also where it has fields."""
        return self.target.scan != "interlaced" or self._pace[1] == self.target.rate

    def origins(self, index: int) -> tuple[Origin, ...]:
        """Return for each moment of output frame `index`, one or two, which source moments it shows."""
        if self._passes_fields:
            return Origin(2 * index), Origin(2 * index + 1)
        moments = (index,) if self.one_moment else (2 * index, 2 * index + 1)
        return tuple(self._origin(moment) for moment in moments)

    def shown_seconds(self, moment: int) -> Fraction:
        """Return at which time of the source output moment `moment` ought to be, whatever picture it is given."""
        if self.method == "speed":
            return moment / self._pace[0]
        return moment / self._pace[1] * speed_of(self.source, self.target, self.policy)

    def _origin(self, moment: int) -> Origin:
        if self.method == "blend" and self.policy.mix != "distance":
            weights = weights_at(*self._pace, self.policy.mix, self.policy.shutter, moment)
            middle = sum(n * share for n, share in weights)
            first = math.floor(middle)
            return Origin(self._step * first, middle - first, tuple((self._step * n, share) for n, share in weights))
        exact = self._step * shown_at(*self._pace, self.method, moment)
        first = exact.numerator // exact.denominator
        return Origin(first, float(exact - first))

    @property
    def _passes_fields(self) -> bool:
        """Whether fields go through as fields: nothing but their place in the raster changes."""
        if self.source.scan != "interlaced" or self.target.scan != "interlaced" or self._pace[0] != self._pace[1]:
            return False
        return not self._lines_change or keeps_fields(self.source, self.target, self.policy)

    # -- one frame -------------------------------------------------------------------------------------

    def frame(self, index: int, frames: Frames) -> Planes:
        """Return output frame `index` as planes in the target's encoding, exact values, float32.

        `frames` gives frames of the source by number, in its encoding; it is asked for numbers below 0 and beyond the
        end too, and gives the nearest it has.
        """
        if not self.plan.steps and self._fit is None:
            return frames(index)
        if frames != self._of:  # what was kept is another source's
            self._whole.clear()
            self._halves.clear()
            self._of = frames
        if self._passes_fields:
            return self._fields_through(index, frames)
        moments = [self._fitting.handed_on(self._moment(origin, frames)) for origin in self.origins(index)]
        fitted_planes = (
            self._fitting.fitted(moments[0], self._fitting.raised)
            if len(moments) == 1
            else self._fitting.woven(moments)
        )
        return self._fitting.encoded(fitted_planes, fields=self.target.scan == "interlaced")

    def codes(self, index: int, frames: Frames) -> Planes:
        """Return output frame `index` as code values of the target, uint16, rounded as the policy says."""
        return codes_of_planes(self.frame(index, frames), self.target.encoding, self.policy.rounding)

    def _fields_through(self, index: int, frames: Frames) -> Planes:
        source, target = self.source, self.target
        planes = self._fitting.full_chroma(frames(index), fields=True)
        if source.field_order != target.field_order:
            if self.policy.order == "time":
                following = self._fitting.full_chroma(frames(index + 1), fields=True)
                order = source.field_order or "top"
                planes = tuple(order_retimed(pair, order)[0] for pair in zip(planes, following, strict=True))
            else:
                planes = tuple(order_shifted(plane) for plane in planes)
        encoding = self._fitting.raised
        return self._fitting.encoded(self._fitting.fitted(planes, encoding, by_fields=self._lines_change), fields=True)

    # -- moments ---------------------------------------------------------------------------------------

    def _moment(self, origin: Origin, frames: Frames) -> Planes:
        if origin.weights:
            return self._mixed(origin.weights, frames)
        first = self._made_whole(origin.first, frames)
        if not origin.phase:
            return first
        later = self._made_whole(origin.first + 1, frames)
        if self.method == "compensated":
            # R′G′B′ has no luma: green is the most of it
            guide = 1 if self.source.encoding.matrix == "rgb" else 0
            result = motion(first[guide], later[guide], origin.phase, self._cache)
            pairs = zip(first, later, strict=True)
            return tuple(at_once(lambda pair: between(*pair, resized(result, pair[0].shape)), pairs))
        share = np.float32(origin.phase)
        return tuple(a + share * (b - a) for a, b in zip(first, later, strict=True))

    def _mixed(self, weights: tuple[tuple[int, float], ...], frames: Frames) -> Planes:
        parts = [(np.float32(share), self._made_whole(moment, frames)) for moment, share in weights]
        results = [parts[0][0] * plane for plane in parts[0][1]]
        for share, planes in parts[1:]:
            for total, plane in zip(results, planes, strict=True):
                total += share * plane
        return tuple(results)

    def _made_whole(self, moment: int, frames: Frames) -> Planes:
        if self.source.scan != "interlaced":
            return frames(moment)
        if self.policy.scan == "leave":
            return self._fitting.full_chroma(frames(moment // 2), fields=False)
        whole = self._whole.get(moment)
        if whole is not None:
            self._whole.move_to_end(moment)
            return whole
        results = self._whole[moment] = self._deinterlaced(moment, frames)
        while len(self._whole) > _KEPT:
            self._whole.popitem(last=False)
        return results

    def _deinterlaced(self, moment: int, frames: Frames) -> Planes:
        order = self.source.field_order or "top"
        first = max(0, moment // 2 - NEIGHBOURS // 2)
        fields: list[Planes] = []
        for index in range(first, moment // 2 + NEIGHBOURS // 2 + 1):
            halves = self._halves_of(index, frames)
            fields += halves if order == "top" else halves[::-1]
        return made_whole(fields, moment - 2 * first, order, self.policy.scan, self._cache)

    def _halves_of(self, index: int, frames: Frames) -> tuple[Planes, Planes]:
        """Return the upper and the lower field of a source frame, each plane in a piece.

        Kept, since neighbours ask for them.
        """
        halves = self._halves.get(index)
        if halves is None:
            planes = self._fitting.full_chroma(frames(index), fields=True)
            upper, lower = (tuple(np.ascontiguousarray(plane[n::2], np.float32) for plane in planes) for n in (0, 1))
            halves = self._halves[index] = upper, lower
            while len(self._halves) > _KEPT_FIELDS:
                self._halves.popitem(last=False)
        return halves

    @property
    def _filters(self) -> bool:
        """Whether new fields are low-passed against twitter: not where a cadence is to be taken out again."""
        if self.policy.scan == "leave" and self.source.scan == "interlaced":
            return False
        if self.source.scan == "interlaced":
            return self._fit is not None and self._fit.scale_y < 1
        pulled = is_pulldown(*self._pace) or cadence_name(*self._pace) is not None
        return not pulled
