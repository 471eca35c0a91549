"""The lanes of an open timeline under one's hands: chosen, moved, trimmed, dropped onto, zoomed and gone along."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QHelpEvent,
    QMouseEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QToolTip

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.lanes.lane_geometry import HEAD
from idle_quarry.app.models.jobs.trial.open_timeline import OpenTimeline
from idle_quarry.app.widgets.lanes.shown_lanes import ShownLanes
from idle_quarry.jobs.cutting.at_frame import cuts_of
from idle_quarry.jobs.cutting.timeline import TimelineItem, Track

#: Within so many px of an edge that edge is meant, and a cut or the playhead draws what is moved to itself.
_EDGE, _NEAR = 5, 7
#: How much wider or narrower one notch of the wheel makes a frame.
_ZOOM = 1.25


@dataclass(frozen=True)
class _MouseGrip:
    """What the mouse holds: an item on its track, all of it or its "start" or "end", and how far into it it was
    taken.
    """

    track: Track
    item: TimelineItem
    part: str
    into: float


class TrialLanes(ShownLanes):
    """`entered`: it was clicked; `gone`: a frame was clicked in the count.

    `moved`: an item was let go (ident, frame, track, put in); `trimmed`: an edge was let go (ident, edge, frames, what
    follows moves); `handed`: an item was let go over other lanes (those, frame); `dropped`: clips were dropped (paths,
    frame, track, put in).
    """

    entered = Signal()
    gone = Signal(int)
    moved = Signal(int, int, str, bool)
    trimmed = Signal(int, str, int, bool)
    handed = Signal(object, int, bool)
    dropped = Signal(object, int, str, bool)

    def __init__(self, called: str) -> None:
        super().__init__(called)
        self._held: _MouseGrip | None = None
        self._going = False
        self.setAcceptDrops(True)
        self.setMouseTracking(True)

    def show_opened(self, opened: OpenTimeline | None) -> None:
        """Show another timeline, all of it; what the mouse held is let go."""
        self._held = None
        super().show_opened(opened)

    def _at(self, point: QPointF) -> _MouseGrip | None:
        track, opened = self.track_at(point.y()), self.opened
        if track is None or opened is None or point.x() < theme.px(HEAD):
            return None
        at = self.scale.at(point.x())
        near = _EDGE / self.scale.frame
        item = track.over(int(at)) or track.over(int(at - near)) or track.over(int(at + near))
        if item is None:
            return None
        edge = min(near, item.length / 3)
        part = "start" if at < item.at + edge else "end" if at > item.end - edge else "all"
        return _MouseGrip(track, item, part, at - item.at)

    def _drawn(self, frame: float, besides: TimelineItem | None = None) -> int:
        """Return the frame that is meant: a cut, the playhead or a mark where one is near.

        Ends of `besides` are none.
        """
        opened = self.opened
        if opened is None:
            return max(0, round(frame))
        near = _NEAR / self.scale.frame
        places = [*cuts_of(opened.timeline), opened.frame, *(mark.at for mark in opened.timeline.markers)]
        own = (besides.at, besides.end) if besides is not None else ()
        best = min((at for at in places if at not in own), key=lambda at: abs(at - frame), default=round(frame))
        return max(0, best if abs(best - frame) <= near else round(frame))

    # -- the mouse ---------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        opened = self.opened
        if opened is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.entered.emit()
        point = event.position()
        track = self.track_at(point.y())
        if track is None:
            self._going = True
            self._go(point)
        elif point.x() < theme.px(HEAD):
            opened.aim(track)
        else:
            self._held = self._at(point)
            more = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            if self._held is None:
                opened.choose(frozenset())
                opened.go(max(0, round(self.scale.at(point.x()))))
                return
            together = frozenset(opened.timeline.linked(self._held.item.ident))
            if more:
                opened.choose(opened.chosen - together if together <= opened.chosen else opened.chosen | together)
                self._held = None
            elif self._held.item.ident not in opened.chosen:
                opened.choose(together)

    def _go(self, point: QPointF) -> None:
        self.gone.emit(max(0, round(self.scale.at(point.x()))))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        point = event.position()
        if self._going:
            self._go(point)
            return
        mouse_grip = self._held
        if mouse_grip is None or not event.buttons() & Qt.MouseButton.LeftButton:
            over = self._at(point)
            edge = over is not None and over.part != "all"
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        track = self.track_at(point.y())
        if mouse_grip.part != "all":
            at = self._drawn(self.scale.at(point.x()))
            first, last = (at, mouse_grip.item.end) if mouse_grip.part == "start" else (mouse_grip.item.at, at)
            track = mouse_grip.track
        else:
            if track is None or track.kind != mouse_grip.track.kind:
                track = mouse_grip.track
            first = self._drawn(self.scale.at(point.x()) - mouse_grip.into, mouse_grip.item)
            last = first + mouse_grip.item.length
        self._ghost = self._place_of_span(track, first, last - first)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        mouse_grip, ghost = self._held, self._ghost
        self._held, self._ghost, self._going = None, None, False
        self.update()
        if mouse_grip is None or ghost is None or self.opened is None:
            return
        point = event.position()
        follow = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        other = QApplication.widgetAt(event.globalPosition().toPoint())
        if mouse_grip.part == "all" and isinstance(other, TrialLanes) and other is not self:
            there = other.mapFromGlobal(event.globalPosition())
            self.handed.emit(other, other._drawn(other.scale.at(there.x()) - mouse_grip.into), follow)
            return
        if mouse_grip.part == "all":
            to = self._drawn(self.scale.at(point.x()) - mouse_grip.into, mouse_grip.item)
            track = self.track_at(point.y())
            if track is None or track.kind != mouse_grip.track.kind:
                track = mouse_grip.track
            if to != mouse_grip.item.at or track is not mouse_grip.track:
                self.moved.emit(mouse_grip.item.ident, to, track.ident, follow)
            return
        at = self._drawn(self.scale.at(point.x()))
        by = at - (mouse_grip.item.at if mouse_grip.part == "start" else mouse_grip.item.end)
        if by:
            self.trimmed.emit(mouse_grip.item.ident, mouse_grip.part, by, follow)

    def wheelEvent(self, event: QWheelEvent) -> None:
        notches = (event.angleDelta().y() or event.angleDelta().x()) / 120
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(_ZOOM**notches, event.position().x())
        else:
            self.scroll_by(-notches * 60 / self.scale.frame)
        event.accept()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            mouse_grip = self._at(QPointF(event.pos()))
            text = ""
            if mouse_grip is not None and self.opened is not None:
                item, timeline = mouse_grip.item, self.opened.timeline
                cost = self.look(item).cost
                text = f"{item.name}{f' · {cost}' if cost else ''}\n{timeline.timecode(item.at)}, {item.length} frames"
                text += f"\n{item.note}" if item.note else ""
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)

    # -- dropping ----------------------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self.opened is not None and _paths(event):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        if self.opened is None or not self.rows():
            return
        track = self.track_at(event.position().y()) or self.rows()[0].track
        at = self._drawn(self.scale.at(event.position().x()))
        self._ghost = self._place_of_span(track, at, 40 / self.scale.frame)
        self.update()
        event.acceptProposedAction()

    def dragLeaveEvent(self, event: QEvent) -> None:
        self._ghost = None
        self.update()

    def dropEvent(self, event: QDropEvent) -> None:
        self._ghost = None
        self.update()
        paths = _paths(event)
        if self.opened is None or not paths:
            event.ignore()
            return
        track = self.track_at(event.position().y())
        follow = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        at = self._drawn(self.scale.at(event.position().x()))
        event.acceptProposedAction()
        self.dropped.emit(paths, at, track.ident if track is not None else "", follow)


def _paths(event: QDropEvent) -> list[Path]:
    return [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
