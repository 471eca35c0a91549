"""How the pieces of a timeline stand, by form: plays as it is two lines, rendered a full one, waiting hatched, else
an empty frame.

What is being rendered is full as far as it is; what cannot be is crossed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.models.jobs.renders.words import role_of
from idle_quarry.jobs.renders.pieces import PieceState
from idle_quarry.jobs.renders.status import PieceStatus


def runs_of(pieces: Sequence[PieceStatus]) -> tuple[PieceStatus, ...]:
    """Return pieces with those joined that meet and stand alike, but for what is being rendered: there can be
    thousands.
    """
    results: list[PieceStatus] = []
    for piece in pieces:
        last = results[-1] if results else None
        if (
            last is not None
            and last.state == piece.state != PieceState.RENDERING
            and last.piece.last == piece.piece.first
        ):
            results[-1] = replace(last, piece=replace(last.piece, last=piece.piece.last))
        else:
            results.append(piece)
    return tuple(results)


def draw_stood(painter: QPainter, rect: QRectF, stood: PieceStatus) -> None:
    """Draw a piece as it stands into a rectangle, which may be a few px high."""
    state, colour = stood.state, theme.colour(role_of(stood.state))
    if state == PieceState.RENDERED:
        painter.fillRect(rect, colour)
    elif state == PieceState.EXACT:
        for share in (0.25, 0.75):
            y = rect.top() + share * rect.height()
            painter.fillRect(
                QRectF(rect.left(), y - rect.height() / 12, rect.width(), max(1.0, rect.height() / 6)), colour
            )
    else:
        _framed(painter, rect, colour, hatched=state in (PieceState.QUEUED, PieceState.RENDERING))
        if state == PieceState.RENDERING:
            done = stood.done / max(1, stood.piece.frames)
            painter.fillRect(QRectF(rect.left(), rect.top(), rect.width() * done, rect.height()), colour)
        elif state == PieceState.FAILED and rect.height() > 6:
            painter.drawLines([QLineF(rect.topLeft(), rect.bottomRight()), QLineF(rect.bottomLeft(), rect.topRight())])


def _framed(painter: QPainter, rect: QRectF, colour: QColor, *, hatched: bool) -> None:
    painter.setPen(QPen(colour, 1))
    painter.setBrush(QBrush(colour, Qt.BrushStyle.BDiagPattern) if hatched else Qt.BrushStyle.NoBrush)
    if rect.height() > 6:
        painter.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5))
    elif hatched:
        painter.setPen(QPen(colour, rect.height(), Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(rect.left(), rect.center().y()), QPointF(rect.right(), rect.center().y()))
    else:
        painter.drawLine(QPointF(rect.left(), rect.bottom()), QPointF(rect.right(), rect.bottom()))
