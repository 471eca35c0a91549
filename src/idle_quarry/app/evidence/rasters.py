"""Rasters as nested outlines to one scale: where the picture lands, what is trimmed (hatched), what stays black."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.evidence.common import Subject, caption, heading
from idle_quarry.path.grades import percent
from idle_quarry.signal.rasters import PROTECTED, aspect_text, protected_area, safe_area


def title(s: Subject) -> str:
    """Return what is drawn, in words."""
    return f"Where {s.source.name} lands in {s.target.name}" if s.link else f"The raster of {s.target.name}"


def _shape(error: float) -> str:
    """Return in words what is done to shapes."""
    if error == 1:
        return "shapes true"
    return f"shapes {percent(abs(error - 1))} {'wider' if error > 1 else 'narrower'}"


def paint(p: QPainter, area: QRectF, s: Subject) -> None:
    """Paint both rasters of a link to one scale."""
    target, source = s.target.format.raster, s.source.format.raster
    where = s.link.plan.placement if s.link else None
    # everything in target samples; shown with the target's pixel aspect, so that shapes are true
    aspect = float(target.pixel_aspect)
    inside = QRectF(0, 0, target.width * aspect, target.height)
    picture = QRectF(inside)
    if where is not None:
        width = float(source.picture_width * where.scale_x) * aspect
        picture = QRectF(
            float(where.offset_x) * aspect, float(where.offset_y), width, float(source.height * where.scale_y)
        )
    whole = inside.united(picture)
    room = area.adjusted(theme.px(14), theme.px(30), -theme.px(14), -theme.px(58))
    scale = min(room.width() / whole.width(), room.height() / whole.height())
    origin_x = room.center().x() - whole.center().x() * scale
    origin_y = room.center().y() - whole.center().y() * scale

    def placed(rect: QRectF) -> QRectF:
        return QRectF(
            origin_x + rect.x() * scale, origin_y + rect.y() * scale, rect.width() * scale, rect.height() * scale
        )

    frame, landed = placed(inside), placed(picture)
    p.fillRect(frame, theme.colour("ground"))
    shown = landed.intersected(frame)
    if landed != shown:
        p.setPen(Qt.PenStyle.NoPen)
        brush = QBrush(theme.colour("oxide"), Qt.BrushStyle.BDiagPattern)
        p.fillRect(landed, brush)
        p.fillRect(frame, theme.colour("ground"))
    p.fillRect(shown, theme.colour("ledge"))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(theme.colour("dust"), 1, Qt.PenStyle.DashLine))
    p.drawRect(landed)
    for kind in ("action", "graphics"):
        safe = safe_area(target, kind)
        p.setPen(QPen(theme.colour("seam"), 1))
        p.drawRect(placed(QRectF(safe.x * aspect, safe.y, safe.width * aspect, safe.height)))
    protects = s.evaluation.template.working.protects
    kept_free = (
        protected_area(target, protects) if protects in PROTECTED and s.target.kind in ("working", "delivery") else None
    )
    if kept_free is not None:
        p.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
        p.drawRect(placed(QRectF(kept_free.x * aspect, kept_free.y, kept_free.width * aspect, kept_free.height)))
    p.setPen(QPen(theme.colour("chalk"), 1.5))
    p.drawRect(frame)
    # a circle of the source, shaped as it will be
    size = min(picture.width(), picture.height()) * 0.3
    error = float(where.geometry_error) if where else 1.0
    circle = placed(
        QRectF(
            picture.center().x() - size * error**0.5,
            picture.center().y() - size / error**0.5,
            2 * size * error**0.5,
            2 * size / error**0.5,
        )
    )
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(theme.colour("oxide" if abs(error - 1) > 0.03 else "sage"), 1.5))
    p.drawEllipse(circle)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    heading(p, area, title(s))
    one = (
        f"{source.size_text}, {aspect_text(source.display_aspect)}  →  {target.size_text},"
        f" {aspect_text(target.display_aspect)}"
    )
    if where is None:
        two = "the rasters agree: nothing is scaled" if s.link else aspect_text(target.display_aspect)
    else:
        two = (
            f"scale {float(where.scale_x):.4g} × {float(where.scale_y):.4g} · trimmed {percent(float(where.cropped))}"
            f" · black {percent(float(where.unused))} · {_shape(float(where.geometry_error))}"
        )
    caption(p, area, one, two + " · inner lines: EBU R 95 action and graphics safe")
