"""Findings about the raster: shape, bars, trimming, enlarging, and rasters no standard has."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import JoinedLink, joined, remedy
from idle_quarry.path.grades import percent
from idle_quarry.path.steps import FitStep
from idle_quarry.signal.catalogue import irregularities, nearest_standard
from idle_quarry.signal.rasters import aspect_text

#: Shapes off by less than this share are not seen.
_SHAPE_SEEN = 0.03
#: Enlarging by more than this is seen as softness.
_SOFT = 1.5


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with rasters, shapes and safe areas."""
    for joint in joined(e):
        if joint.own.kind in ("intermediate", "proxy", "monitor"):
            continue
        yield from _placed(joint)
    working = e.template.working.format
    for text in irregularities(working):
        near = nearest_standard(working)
        cure = remedy(f"Work at {near.words}", ("working.format", near.format))
        yield Finding("caution", "format_irregular", "working", f"Programme: {text}.", cure)


def _placed(row: JoinedLink) -> Iterator[Finding]:
    step, where = row.link.plan.step(FitStep), row.link.plan.placement
    if step is None or where is None:
        return
    name, place = row.own.name, f"{row.own.place}.policy.fit"
    source, target = row.source.format.raster, row.target.format.raster
    numbers = dict(step.numbers)
    error = abs(float(where.geometry_error) - 1)
    if where.scale_x == where.scale_y == 1 and error and source.display_aspect == target.display_aspect:
        count = source.convention
        text = (
            f"{name}: its {aspect_text(source.display_aspect)} picture is counted over {source.picture_width} samples"
        )
        text += f", the programme's over {target.picture_width}: {percent(error)} in shape, samples untouched."
        cure = None
        if row.own.kind == "source" and count:
            cure = remedy(f"Count it over {target.picture_width}", (f"{row.own.place}.format.raster", target))
        yield Finding("note", "shape_convention", row.own.id, text, cure, numbers)
        return
    if error > _SHAPE_SEEN:
        shape = f"{aspect_text(source.display_aspect)} is stretched to {aspect_text(target.display_aspect)}"
        text = (
            f"{name}: {shape}; circles become {percent(error)} {'wider' if where.geometry_error > 1 else 'narrower'}."
        )
        yield Finding("stop", "aspect_stretched", row.own.id, text, remedy("Fit inside", (place, "inside")), numbers)
    if where.cropped:
        text = (
            f"{name}: {percent(float(where.cropped))} of the picture is trimmed ({source.size_text} into"
            f" {target.size_text})."
        )
        cure = remedy("Keep all of it, with bars", (place, "inside")) if row.link.policy.fit != "inside" else None
        severity = "caution" if where.cropped > 0.02 else "note"
        yield Finding(severity, "cropped", row.own.id, text, cure, numbers)
    if where.unused > 0.001:
        bars = "at the sides" if source.display_aspect < target.display_aspect else "above and below"
        text = (
            f"{name}: {aspect_text(source.display_aspect)} sits inside {aspect_text(target.display_aspect)} "
            f"with bars {bars}: {percent(float(where.unused))} of the frame is unused."
        )
        small = max(where.scale_x, where.scale_y) <= 1 and row.link.policy.fit == "same"
        if small:
            text = (
                f"{name}: {source.size_text} is copied into {target.size_text}: {percent(float(where.unused))} stays"
                " black."
            )
        yield Finding("note", "unused_area", row.own.id, text, None, numbers)
    enlarged = float(where.scale_y)
    if enlarged > 1.01 and row.own.kind == "source":
        severity = "caution" if enlarged > _SOFT else "note"
        text = (
            f"{name} is enlarged to {percent(enlarged)}: {source.height} lines become"
            f" {round(source.height * enlarged)}."
        )
        yield Finding(severity, "enlarged", row.own.id, text, None, numbers)
    elif enlarged > 1.01 and row.own.kind == "delivery":
        text = (
            f"{name} has more lines than the programme: {source.height} are enlarged to {target.height}. "
            "Detail that cameras recorded is thrown away first and then invented."
        )
        cure = remedy(f"Work at {target.size_text}", ("working.format.raster", target))
        if row.source.format.scan == "interlaced" and target.height > 1080:
            cure = None
        yield Finding("caution", "delivery_enlarged", row.own.id, text, cure, numbers)
