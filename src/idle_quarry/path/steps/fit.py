"""The fit step: where a picture lands in another raster, and what is lost, left black or misshapen."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import ClassVar

from idle_quarry.path.grades import Step, percent
from idle_quarry.path.policies import Policy
from idle_quarry.signal.rasters import Raster

#: 486 ↔ 480 lines: four lines off the top and two off the bottom keep the field order (SMPTE RP 202).
_TOP_LINES_486 = 4


@dataclass(frozen=True)
class Placement:
    """Scale (target samples per source sample) and offset of the picture's corner in target samples.

    `edge_x` is where the source's first sample lies, which may be blanking before the picture.
    """

    scale_x: Fraction
    scale_y: Fraction
    offset_x: Fraction
    offset_y: Fraction
    cropped: Fraction
    unused: Fraction
    geometry_error: Fraction
    edge_x: Fraction = Fraction(0)

    @property
    def scales(self) -> bool:
        return self.scale_x != 1 or self.scale_y != 1

    @property
    def scales_lines(self) -> bool:
        return self.scale_y != 1


def placement(source: Raster, target: Raster, policy: Policy, *, fields: bool = False) -> Placement | None:
    """Return where the source's picture lands in the target, or None where the rasters agree.

    Shares are of the nominal pictures: the edges beyond 702 of 720 samples are blanking, not picture.
    With `fields`, an unscaled picture is moved by whole line pairs only, which keeps the field order.
    """
    plain = policy.zoom == 100
    if source == target and plain:
        return None
    if _same_samples(source, target) and plain:
        return Placement(*_ONE, Fraction(0), Fraction(0), Fraction(0), Fraction(0), _shape(source, target, *_ONE))
    if (
        source.width == target.width
        and {source.height, target.height} == {480, 486}
        and policy.fit != "stretch"
        and plain
    ):
        return _line_crop(source, target)
    across = target.picture_width / source.picture_width
    down = Fraction(target.height, source.height)
    shape = source.pixel_aspect / target.pixel_aspect
    if policy.fit == "stretch" and source != target:
        scale_x, scale_y = across, down
    elif policy.fit == "same":
        scale_x = scale_y = Fraction(1)
    else:
        pick = min if policy.fit == "inside" else max
        scale_y = pick(across / shape, down)
        scale_x = scale_y * shape
    zoom = Fraction(str(policy.zoom)) / 100
    scale_x, scale_y = scale_x * zoom, scale_y * zoom
    width, height = source.picture_width * scale_x, source.height * scale_y
    offset_x = _offset(target.width, width, policy.position, "left", "right")
    offset_y = _offset(target.height, height, policy.position, "top", "bottom")
    if fields and scale_y == 1:
        offset_y = Fraction(2 * round(offset_y / 2))
    seen_x, seen_y = min(width, target.picture_width), min(height, Fraction(target.height))
    return Placement(
        scale_x,
        scale_y,
        offset_x,
        offset_y,
        cropped=1 - (seen_x * seen_y) / (width * height),
        unused=1 - (seen_x * seen_y) / (target.picture_width * target.height),
        geometry_error=_shape(source, target, scale_x, scale_y),
        edge_x=offset_x - scale_x * (source.width - source.picture_width) / 2,
    )


_ONE = (Fraction(1), Fraction(1))


def _same_samples(source: Raster, target: Raster) -> bool:
    """Return whether only the labels differ: one sample grid, one picture shape, counted by two conventions."""
    return (
        (source.width, source.height) == (target.width, target.height)
        and source.line_system is not None
        and source.display_aspect == target.display_aspect
    )


def _shape(source: Raster, target: Raster, scale_x: Fraction, scale_y: Fraction) -> Fraction:
    return (scale_x * target.pixel_aspect) / (scale_y * source.pixel_aspect)


def _line_crop(source: Raster, target: Raster) -> Placement:
    lost, left = max(0, source.height - target.height), max(0, target.height - source.height)
    return Placement(
        *_ONE,
        offset_x=Fraction(0),
        offset_y=Fraction(-_TOP_LINES_486 if lost else _TOP_LINES_486),
        cropped=Fraction(lost, source.height),
        unused=Fraction(left, target.height),
        geometry_error=Fraction(1),
    )


def _offset(room: int, size: Fraction, position: str, first: str, last: str) -> Fraction:
    if position == first:
        return Fraction(0)
    return room - size if position == last else (room - size) / 2


@dataclass(frozen=True)
class FitStep(Step):
    """Scale and offset in target samples, shares of what is cropped and left black, stretch of the shape (1 is
    none).
    """

    kind: ClassVar[str] = "fit"

    scale_x: float
    scale_y: float
    offset_x: float
    offset_y: float
    cropped: float
    unused: float
    geometry_error: float


def fit_step(result: Placement | None, source: Raster, target: Raster) -> FitStep | None:
    """Return the step of a placement, or None where the rasters agree."""
    if result is None:
        return None
    figures = [
        float(value)
        for value in (
            result.scale_x,
            result.scale_y,
            result.offset_x,
            result.offset_y,
            result.cropped,
            result.unused,
            result.geometry_error,
        )
    ]
    scaled = not (result.scale_x == result.scale_y == 1)
    if not scaled and _same_samples(source, target):
        stretch = percent(abs(float(result.geometry_error) - 1))
        shape = "4:3" if source.display_aspect < 1.5 else "16:9"
        text = f"same samples; the {shape} picture is counted over another width: {stretch} in shape by the label"
        return FitStep("clean", text, *figures)
    grade = "lossy" if scaled or result.cropped or result.geometry_error != 1 else "clean"
    return FitStep(grade, ", ".join(_fit_words(result, scaled=scaled)), *figures)


def _fit_words(result: Placement, *, scaled: bool) -> list[str]:
    across, down = percent(float(result.scale_x)), percent(float(result.scale_y))
    if not scaled:
        parts = ["samples copied one for one"]
    else:
        parts = [f"scaled to {across}" + ("" if result.scale_x == result.scale_y else f" across, {down} down")]
    if result.cropped:
        parts.append(f"{percent(float(result.cropped))} of the picture trimmed")
    if result.unused:
        parts.append(f"{percent(float(result.unused))} of the frame left black")
    if result.geometry_error != 1:
        wide = float(result.geometry_error)
        change = f"{percent(wide - 1)} wider" if wide > 1 else f"{percent(1 - wide)} narrower"
        parts.append(f"shapes become {change}")
    return parts
