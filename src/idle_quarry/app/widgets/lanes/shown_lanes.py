"""Lanes of a timeline as they are seen: the stretch in sight, the pieces, the count and the playhead."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import (
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.kept_lanes import KeptLanes
from idle_quarry.app.drawing.lanes.lane_geometry import (
    COUNT,
    HEAD,
    LANE,
    ItemLook,
    LaneRow,
    Scale,
    height_of,
    piece,
    rows_in,
)
from idle_quarry.app.drawing.lanes.lane_marks import draw_places
from idle_quarry.app.drawing.lanes.render_lanes import runs_of
from idle_quarry.app.drawing.lanes.trial_lanes import draw_count, draw_pieces
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.jobs.cutting.timeline import TimelineItem, Track
from idle_quarry.jobs.renders.status import PieceStatus


class ShownLanes(QWidget):
    """Draws a timeline at a scale; what a person does to it is the business of `TrialLanes`."""

    def __init__(self, called: str) -> None:
        super().__init__()
        self.opened: OpenTimeline | None = None
        self.look: Callable[[TimelineItem], ItemLook] = lambda _item: ItemLook("")
        self.on = False  #: whether keys act upon it
        self.scale = Scale(0.0, 2.0)
        self._cache = KeptLanes()
        self._pieces: tuple[PieceStatus, ...] = ()  #: as they stand: those that stand alike and meet are one here
        self._pieces_of: tuple[PieceStatus, ...] = ()
        self._ghost: QRectF | None = None  #: where what is moved would lie
        self.setAccessibleName(called)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_opened(self, opened: OpenTimeline | None) -> None:
        """Show another timeline, all of it."""
        self.opened = opened
        self._ghost = None
        self.updateGeometry()
        self.show_all()

    def show_all(self) -> None:
        """Show the whole timeline, and 20 seconds at the least."""
        if self.opened is not None:
            timeline = self.opened.timeline
            frames = max(timeline.end * 1.06, float(timeline.rate) * 20)
            self.scale = Scale(0.0, max(1e-4, (self.width() - theme.px(HEAD) - theme.px(16)) / frames))
        self.update()

    def zoom(self, by: float, about: float | None = None) -> None:
        """Make a frame so many times as wide; what lies at `about` (px, the playhead without) stays there."""
        if self.opened is None:
            return
        x = self.scale.x(self.opened.frame) if about is None else about
        at = self.scale.at(x)
        wide = min(max(self.scale.frame * by, 1e-4), 60.0)
        self._scroll_to(at - (x - theme.px(HEAD)) / wide, wide)

    def scroll_by(self, frames: float) -> None:
        """Show what lies so many frames later."""
        self._scroll_to(self.scale.left + frames, self.scale.frame)

    def _scroll_to(self, left: float, frame: float) -> None:
        end = self.opened.timeline.end if self.opened is not None else 0
        self.scale = Scale(min(max(0.0, left), float(max(0, end))), frame)
        self.update()

    def follow(self) -> None:
        """Keep the playhead in sight."""
        if self.opened is None:
            return
        x = self.scale.x(self.opened.frame)
        if not theme.px(HEAD) <= x <= self.width() - theme.px(24):
            room = (self.width() - theme.px(HEAD)) / self.scale.frame
            self._scroll_to(self.opened.frame - room / 8, self.scale.frame)
        self.update()

    def sizeHint(self) -> QSize:
        high = height_of(self.opened.timeline, self._aims) if self.opened is not None else theme.px(COUNT + LANE)
        return QSize(theme.px(600), high)

    @property
    def top(self) -> int:
        """Where the part that is in sight begins, px."""
        return max(0, self.visibleRegion().boundingRect().top())

    @property
    def _aims(self) -> frozenset[str]:
        return frozenset(self.opened.aims.values()) if self.opened is not None else frozenset()

    def rows(self) -> list[LaneRow]:
        """Return the lanes from the top down."""
        return rows_in(self.opened.timeline, self._aims) if self.opened is not None else []

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        opened = self.opened
        if opened is None:
            painter.fillRect(self.rect(), theme.colour("bench"))
            return
        timeline, ratio = opened.timeline, self.devicePixelRatioF()
        painter.drawPixmap(
            0,
            0,
            self._cache.drawn(
                timeline, self.scale, self.size(), ratio, self.look, chosen=opened.chosen, aims=self._aims
            ),
        )
        painter.save()
        painter.translate(0, self.top)  # the count stays in sight when lanes are scrolled away below it
        draw_count(painter, timeline, self.scale, self.width())
        draw_pieces(painter, self._pieces, self.scale, self.width())
        marks = opened.mark_in, opened.mark_out
        draw_places(painter, timeline, self.scale, self.height(), opened.frame, marks, on=self.on)
        painter.restore()
        if self._ghost is not None:
            painter.setPen(QPen(theme.colour("lichen"), 1.5, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._ghost)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("lichen"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def show_pieces(self, pieces: tuple[PieceStatus, ...]) -> None:
        """Show how pieces stand, over the lanes."""
        if pieces is not self._pieces_of:
            self._pieces_of, self._pieces = pieces, runs_of(pieces)
            self.update()

    def look_again(self) -> None:
        """Draw all pieces anew: they look otherwise than they did."""
        self._cache.forget()
        self.update()

    # -- where things are --------------------------------------------------------------------------------------------

    def track_at(self, y: float) -> Track | None:
        """Return the track whose lane lies at a height."""
        if y < self.top + theme.px(COUNT):
            return None
        return next((row.track for row in self.rows() if row.top <= y < row.foot), None)

    def place_of(self, ident: int) -> QRectF:
        """Return where an item's piece lies."""
        assert self.opened is not None
        track, item = self.opened.timeline.item(ident)
        return self._place_of_span(track, item.at, item.length)

    def _place_of_span(self, track: Track, at: float, length: float) -> QRectF:
        row = next(row for row in self.rows() if row.track.ident == track.ident)
        return piece(row, at, length, self.scale)
