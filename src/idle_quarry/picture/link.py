"""A whole link as one conversion of pictures: fields made whole, retimed, fitted, coloured, woven again, coded.

The order is the plan's: scan, rate, fit, colour, range, depth, sampling. Pictures are taken one at a time from a source
of frames, and only those that the frame asked for needs, so that a clip of any length and size streams through.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import NotPossible
from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.path.steps import plan
from idle_quarry.path.steps.cadence import cadence_name, is_pulldown, shown_at, weights_at
from idle_quarry.path.steps.pacing import pace, retiming
from idle_quarry.path.steps.scan import keeps_fields
from idle_quarry.picture.fields import NEIGHBOURS, low_passed, made_whole, order_retimed, order_shifted
from idle_quarry.picture.kernels import covered
from idle_quarry.picture.motion import MotionCache, between, motion, resized
from idle_quarry.picture.planes import CHROMA_KERNEL, Plane, Planes, chroma_sampled, codes_of_planes, siting_of, to_rgb
from idle_quarry.picture.recolouring import linear_light, recoloured
from idle_quarry.picture.resampling import PictureFit, chroma_fit, ends_of, resampled, resampled_field, resampled_fields
from idle_quarry.picture.rounding import PRECISIONS
from idle_quarry.picture.strips import at_once
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding, SignalFormat

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


@dataclass(frozen=True)
class _FittedPlanes:
    """Planes on the target's raster: their chroma's sampling, and where they are still to be coloured, the matrix
    they are in.
    """

    planes: Planes
    sampling: str
    matrix: str = ""


def _frames(into: list[Plane], shapes: Sequence[tuple[int, ...]]) -> None:
    """Make frames of those shapes, where there are none yet."""
    if not into:
        into += [np.empty(shape, np.float32) for shape in shapes]


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
        self._places: dict[tuple[int, int], tuple[NDArray[np.bool_], NDArray[np.bool_]]] = {}
        self._of: Frames | None = None
        self._whole: OrderedDict[int, Planes] = OrderedDict()
        self._halves: OrderedDict[int, tuple[Planes, Planes]] = OrderedDict()
        self._kept = MotionCache()

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
        return moment / self._pace[1]

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
        moments = [self._handed_on(self._moment(origin, frames)) for origin in self.origins(index)]
        fitted_planes = self._fitted(moments[0], self._raised) if len(moments) == 1 else self._woven(moments)
        return self._encoded(fitted_planes, fields=self.target.scan == "interlaced")

    def codes(self, index: int, frames: Frames) -> Planes:
        """Return output frame `index` as code values of the target, uint16, rounded as the policy says."""
        return codes_of_planes(self.frame(index, frames), self.target.encoding, self.policy.rounding)

    def _fields_through(self, index: int, frames: Frames) -> Planes:
        source, target = self.source, self.target
        planes = self._full_chroma(frames(index), fields=True)
        if source.field_order != target.field_order:
            if self.policy.order == "time":
                following = self._full_chroma(frames(index + 1), fields=True)
                order = source.field_order or "top"
                planes = tuple(order_retimed(pair, order)[0] for pair in zip(planes, following, strict=True))
            else:
                planes = tuple(order_shifted(plane) for plane in planes)
        encoding = self._raised
        return self._encoded(self._fitted(planes, encoding, by_fields=self._lines_change), fields=True)

    @property
    def _raised(self) -> Encoding:
        """The source's encoding once its chroma has every line: fields of 4:2:0 share no chroma line."""
        e = self.source.encoding
        if self.source.scan == "interlaced" and e.sampling == "4:2:0":
            return replace(e, sampling="4:2:2")
        return e

    def _full_chroma(self, planes: Planes, *, fields: bool) -> Planes:
        raised = self._raised
        if raised == self.source.encoding:
            return planes
        return chroma_sampled(planes, self.source.encoding.sampling, raised, fields)

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
            result = motion(first[guide], later[guide], origin.phase, self._kept)
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
            return self._full_chroma(frames(moment // 2), fields=False)
        kept = self._whole.get(moment)
        if kept is not None:
            self._whole.move_to_end(moment)
            return kept
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
        return made_whole(fields, moment - 2 * first, order, self.policy.scan, self._kept)

    def _halves_of(self, index: int, frames: Frames) -> tuple[Planes, Planes]:
        """Return the upper and the lower field of a source frame, each plane in a piece.

        Kept, since neighbours ask for them.
        """
        kept = self._halves.get(index)
        if kept is None:
            planes = self._full_chroma(frames(index), fields=True)
            upper, lower = (tuple(np.ascontiguousarray(plane[n::2], np.float32) for plane in planes) for n in (0, 1))
            kept = self._halves[index] = upper, lower
            while len(self._halves) > _KEPT_FIELDS:
                self._halves.popitem(last=False)
        return kept

    # -- fit and colour --------------------------------------------------------------------------------

    @property
    def _needs_rgb(self) -> bool:
        before, after = self.source.encoding, self.target.encoding
        if (before.matrix == "rgb") != (after.matrix == "rgb"):
            return True
        if self.policy.colour == "leave":
            return self._in_light
        differs = (before.primaries, before.transfer, before.matrix) != (after.primaries, after.transfer, after.matrix)
        return differs or self._in_light

    @property
    def _in_light(self) -> bool:
        return (
            self.policy.light == "linear" and self._fit is not None and (self._fit.scale_x, self._fit.scale_y) != (1, 1)
        )

    def _fitted(
        self,
        planes: Planes,
        encoding: Encoding,
        *,
        by_fields: bool = False,
        field: int | None = None,
        into: list[Plane] | None = None,
    ) -> _FittedPlanes:
        """Return planes on the target's raster, still in the source's colour.

        With `field` every second line from it on, put into frames, which are made where `into` has none yet.
        """
        fit = self._fit
        if not self._needs_rgb:
            if fit is None and field is None:
                return self._ready_to_weave(planes, encoding)
            sampling = self._fitted_sampling(encoding, by_fields) if fit is not None else encoding.sampling
            if fit is None and sampling == "4:2:0":
                sampling = "4:2:2"  # fields share no chroma line
            return _FittedPlanes(self._planes_fitted(planes, encoding, sampling, by_fields, field, into), sampling)
        if self._in_light:
            rgb = tuple(at_once(lambda c: self._fitted_in_light(c, encoding, by_fields), to_rgb(planes, encoding)))
            if field is not None and into is not None:
                soft = [low_passed(plane) if self._filters else plane for plane in rgb]
                _frames(into, [plane.shape for plane in soft])
                for frame, plane in zip(into, soft, strict=True):
                    frame[field::2] = plane[field::2]
            return _FittedPlanes(rgb, "4:4:4", "rgb")
        if fit is None and field is None:
            full = (
                planes
                if encoding.matrix == "rgb"
                else chroma_sampled(planes, encoding.sampling, replace(encoding, sampling="4:4:4"), False)
            )
        else:
            full = self._planes_fitted(planes, encoding, "4:4:4", by_fields, field, into)
        return _FittedPlanes(full, "4:4:4", encoding.matrix)

    def _fitted_in_light(self, channel: Plane, encoding: Encoding, by_fields: bool) -> Plane:
        assert self._fit is not None
        make = resampled_fields if by_fields else resampled
        raster, light = self.target.raster, linear_light(channel, encoding.transfer)
        fitted = make(light, raster.height, raster.width, self._fit, self.policy.kernel)
        return linear_light(fitted, encoding.transfer, back=True)

    def _ready_to_weave(self, planes: Planes, encoding: Encoding) -> _FittedPlanes:
        """Return planes whose chroma has every line where fields are to be made of them, and its sampling."""
        if encoding.sampling != "4:2:0" or self.target.scan != "interlaced":
            return _FittedPlanes(planes, encoding.sampling)
        return _FittedPlanes(chroma_sampled(planes, "4:2:0", replace(encoding, sampling="4:2:2"), False), "4:2:2")

    def _fitted_sampling(self, encoding: Encoding, by_fields: bool) -> str:
        """Return the chroma sampling to fit into: the target's at once, but for lines that fields would share."""
        wanted = self.target.encoding.sampling
        fields = self.target.scan == "interlaced"
        return "4:2:2" if wanted == "4:2:0" and (fields or by_fields) else wanted

    def _planes_fitted(
        self,
        planes: Planes,
        encoding: Encoding,
        sampling: str,
        by_fields: bool,
        field: int | None,
        into: list[Plane] | None,
    ) -> Planes:
        raster, kernel = self.target.raster, self.policy.kernel
        fit = self._fit or PictureFit(1.0, 1.0)
        fits, shapes = [fit] * 3, [(raster.height, raster.width)] * 3
        if encoding.matrix != "rgb":
            before, after = CHROMA_STEPS[encoding.sampling], CHROMA_STEPS[sampling]
            placed = chroma_fit(fit, before, after, siting_of(encoding), siting_of(self.target.encoding))
            fits[1:], shapes[1:] = [placed] * 2, [(-(-raster.height // after[1]), -(-raster.width // after[0]))] * 2
            if self._fit is None and before != after:
                kernel = CHROMA_KERNEL
        if by_fields:
            return tuple(resampled_fields(planes[n], *shapes[n], fits[n], kernel) for n in range(3))
        places = [
            self._covered((1, 1)),
            *[self._covered(CHROMA_STEPS[sampling] if encoding.matrix != "rgb" else (1, 1))] * 2,
        ]
        if field is None or into is None:
            return tuple(
                resampled(planes[n], *shapes[n], fits[n], kernel, lines=places[n][0], columns=places[n][1])
                for n in range(3)
            )
        _frames(into, shapes)
        return tuple(
            resampled_field(
                planes[n],
                *shapes[n],
                fits[n],
                kernel,
                field,
                softened=self._filters,
                lines=places[n][0],
                columns=places[n][1],
                out=into[n][field::2],
            )
            for n in range(3)
        )

    def _covered(self, steps: tuple[int, int]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Return the lines and columns that the picture covers, of luma or of chroma: where luma is, there is
        colour.
        """
        if steps not in self._places:
            fit = self._fit or PictureFit(1.0, 1.0)
            lines = covered(self.source.raster.height, self.target.raster.height, fit.scale_y, fit.offset_y)
            columns = covered(self.source.raster.width, self.target.raster.width, fit.scale_x, fit.offset_x)
            self._places[steps] = lines[:: steps[1]], columns[:: steps[0]]
        return self._places[steps]

    # -- fields again, and chroma ----------------------------------------------------------------------

    def _woven(self, moments: Sequence[Planes]) -> _FittedPlanes:
        """Return the frame whose fields show two pictures; detail of one line is softened where they differ in time."""
        first = 0 if self.target.field_order == "top" else 1
        results: list[Plane] = []
        for planes, parity in zip(moments, (first, 1 - first), strict=True):
            fitted = self._fitted(planes, self._raised, field=parity, into=results)
        return replace(fitted, planes=tuple(results))

    @property
    def _filters(self) -> bool:
        """Whether new fields are low-passed against twitter: not where a cadence is to be taken out again."""
        if self.policy.scan == "leave" and self.source.scan == "interlaced":
            return False
        if self.source.scan == "interlaced":
            return self._fit is not None and self._fit.scale_y < 1
        pulled = is_pulldown(*self._pace) or cadence_name(*self._pace) is not None
        return not pulled

    def _handed_on(self, planes: Planes) -> Planes:
        """Return planes as they are kept between one conversion and the next."""
        if self.policy.precision == DEFAULT_POLICY.precision:
            return planes
        kept = PRECISIONS[self.policy.precision]
        return tuple(kept(plane, self.target.encoding.levels) for plane in planes)

    def _encoded(self, fitted_planes: _FittedPlanes, *, fields: bool) -> Planes:
        """Return a frame in the target's colour and sampling."""
        encoding = self.target.encoding
        planes = self._handed_on(fitted_planes.planes)
        if fitted_planes.matrix:
            planes = self._coloured(planes, fitted_planes.matrix)
        elif encoding.matrix == "rgb":
            return planes
        return planes if encoding.matrix == "rgb" else chroma_sampled(planes, fitted_planes.sampling, encoding, fields)

    def _coloured(self, planes: Planes, matrix: str) -> Planes:
        """Return planes of one size in the target's colour and matrix."""
        before, after = self.source.encoding, self.target.encoding
        pair = (before.primaries, before.transfer), (after.primaries, after.transfer)
        if self.policy.colour == "leave":
            pair = pair[0], pair[0]
        soften, tone = self.policy.colour == "soften", self.policy.tone
        if self.policy.precision == DEFAULT_POLICY.precision:
            return recoloured(planes, (matrix, after.matrix), *pair, soften=soften, tone=tone, columns=self._columns)
        steps = ((matrix, "rgb"), pair[0], pair[0]), (("rgb", "rgb"), *pair), (("rgb", after.matrix), pair[0], pair[0])
        for matrices, one, other in steps:  # rounded after each, as it is kept in between
            planes = self._handed_on(recoloured(planes, matrices, one, other, soften=soften, tone=tone))
        return planes

    @property
    def _columns(self) -> tuple[int, int]:
        """The first column that the picture covers and the one after the last: beside it, black is black in both."""
        return ends_of(self._covered((1, 1))[1])
