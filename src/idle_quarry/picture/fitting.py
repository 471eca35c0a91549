"""One link's pictures brought to the target's raster, colour and chroma sampling; fields woven of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from idle_quarry.path.policies import DEFAULT_POLICY, Policy
from idle_quarry.picture.fields import low_passed
from idle_quarry.picture.kernels import covered
from idle_quarry.picture.planes import CHROMA_KERNEL, Plane, Planes, chroma_sampled, siting_of, to_rgb
from idle_quarry.picture.recolouring import linear_light, recoloured
from idle_quarry.picture.resampling import PictureFit, chroma_fit, ends_of, resampled, resampled_field, resampled_fields
from idle_quarry.picture.rounding import PRECISIONS
from idle_quarry.picture.strips import at_once
from idle_quarry.signal.formats import CHROMA_STEPS, Encoding, SignalFormat


@dataclass(frozen=True)
class FittedPlanes:
    """Planes on the target's raster: their chroma's sampling, and where they are still to be coloured, the matrix
    they are in.
    """

    planes: Planes
    sampling: str
    matrix: str = ""


def _make_frames(into: list[Plane], shapes: Sequence[tuple[int, ...]]) -> None:
    """Make frames of those shapes, where there are none yet."""
    if not into:
        into += [np.empty(shape, np.float32) for shape in shapes]


class LinkFitting:
    """Fits, colours and codes the pictures of a link."""

    def __init__(
        self, source: SignalFormat, target: SignalFormat, policy: Policy, fit: PictureFit | None, *, softens: bool
    ) -> None:
        self.source, self.target, self.policy, self._fit = source, target, policy, fit
        self._softens = softens
        self._places: dict[tuple[int, int], tuple[NDArray[np.bool_], NDArray[np.bool_]]] = {}

    @property
    def raised(self) -> Encoding:
        """The source's encoding once its chroma has every line: fields of 4:2:0 share no chroma line."""
        e = self.source.encoding
        if self.source.scan == "interlaced" and e.sampling == "4:2:0":
            return replace(e, sampling="4:2:2")
        return e

    def full_chroma(self, planes: Planes, *, fields: bool) -> Planes:
        raised = self.raised
        if raised == self.source.encoding:
            return planes
        return chroma_sampled(planes, self.source.encoding.sampling, raised, fields)

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

    def fitted(
        self,
        planes: Planes,
        encoding: Encoding,
        *,
        by_fields: bool = False,
        field: int | None = None,
        into: list[Plane] | None = None,
    ) -> FittedPlanes:
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
            return FittedPlanes(self._planes_fitted(planes, encoding, sampling, by_fields, field, into), sampling)
        if self._in_light:
            rgb = tuple(at_once(lambda c: self._fitted_in_light(c, encoding, by_fields), to_rgb(planes, encoding)))
            if field is not None and into is not None:
                soft = [low_passed(plane) if self._softens else plane for plane in rgb]
                _make_frames(into, [plane.shape for plane in soft])
                for frame, plane in zip(into, soft, strict=True):
                    frame[field::2] = plane[field::2]
            return FittedPlanes(rgb, "4:4:4", "rgb")
        if fit is None and field is None:
            full = (
                planes
                if encoding.matrix == "rgb"
                else chroma_sampled(planes, encoding.sampling, replace(encoding, sampling="4:4:4"), False)
            )
        else:
            full = self._planes_fitted(planes, encoding, "4:4:4", by_fields, field, into)
        return FittedPlanes(full, "4:4:4", encoding.matrix)

    def _fitted_in_light(self, channel: Plane, encoding: Encoding, by_fields: bool) -> Plane:
        assert self._fit is not None
        make = resampled_fields if by_fields else resampled
        raster, light = self.target.raster, linear_light(channel, encoding.transfer)
        fitted = make(light, raster.height, raster.width, self._fit, self.policy.kernel)
        return linear_light(fitted, encoding.transfer, back=True)

    def _ready_to_weave(self, planes: Planes, encoding: Encoding) -> FittedPlanes:
        """Return planes whose chroma has every line where fields are to be made of them, and its sampling."""
        if encoding.sampling != "4:2:0" or self.target.scan != "interlaced":
            return FittedPlanes(planes, encoding.sampling)
        return FittedPlanes(chroma_sampled(planes, "4:2:0", replace(encoding, sampling="4:2:2"), False), "4:2:2")

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
        _make_frames(into, shapes)
        return tuple(
            resampled_field(
                planes[n],
                *shapes[n],
                fits[n],
                kernel,
                field,
                softened=self._softens,
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

    def woven(self, moments: Sequence[Planes]) -> FittedPlanes:
        """Return the frame whose fields show two pictures; detail of one line is softened where they differ in time."""
        first = 0 if self.target.field_order == "top" else 1
        results: list[Plane] = []
        for planes, parity in zip(moments, (first, 1 - first), strict=True):
            fitted = self.fitted(planes, self.raised, field=parity, into=results)
        return replace(fitted, planes=tuple(results))

    def handed_on(self, planes: Planes) -> Planes:
        """Return planes as they are kept between one conversion and the next."""
        if self.policy.precision == DEFAULT_POLICY.precision:
            return planes
        rounded = PRECISIONS[self.policy.precision]
        return tuple(rounded(plane, self.target.encoding.levels) for plane in planes)

    def encoded(self, fitted_planes: FittedPlanes, *, fields: bool) -> Planes:
        """Return a frame in the target's colour and sampling."""
        encoding = self.target.encoding
        planes = self.handed_on(fitted_planes.planes)
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
            planes = self.handed_on(recoloured(planes, matrices, one, other, soften=soften, tone=tone))
        return planes

    @property
    def _columns(self) -> tuple[int, int]:
        """The first column that the picture covers and the one after the last: beside it, black is black in both."""
        return ends_of(self._covered((1, 1))[1])
