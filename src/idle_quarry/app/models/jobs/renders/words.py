"""What Renders says: of where renders go, how pieces stand and what a change costs."""

from __future__ import annotations

import socket
from pathlib import Path

from idle_quarry.app.models.jobs.renders.snapshot import PieceRow, RendersSnapshot
from idle_quarry.app.models.proof.disks import bytes_words
from idle_quarry.counting import counted
from idle_quarry.jobs.cutting.at_frame import shown_at
from idle_quarry.jobs.renders.impact import RenderImpact
from idle_quarry.jobs.renders.pieces import PieceState
from idle_quarry.jobs.renders.status import (
    PieceStatus,
    RenderCost,
    cost_of,
    seconds_of,
)

#: The colour of each state; its form tells it too.
_ROLES = {
    PieceState.EXACT: "sage",
    PieceState.RENDERED: "sage",
    PieceState.RENDERING: "lichen",
    PieceState.QUEUED: "ochre",
    PieceState.FAILED: "oxide",
}


def where_words(snapshot: RendersSnapshot) -> str:
    """Return where renders go, what they take and what is free there."""
    if snapshot.settled.store is None:
        return f"{sentence(snapshot.settled.why)}."
    free = f", {bytes_words(snapshot.volume.free)} free" if snapshot.volume is not None else ""
    return f"{snapshot.settled.place}: {bytes_words(snapshot.kept_bytes)} rendered{free}. Codec: {snapshot.codec}."


def anew_words(render_impact: RenderImpact) -> str:
    """Return what another revision means for the renders of a job, "" where it means nothing."""
    if not render_impact.cost.pieces or render_impact.stays == render_impact.rendered:
        return ""
    stays = f"{render_impact.stays} of {pieces_words(render_impact.rendered)}" if render_impact.stays else "nothing"
    return f"Of what is rendered {stays} stays; to render then: {_cost_words(render_impact.cost)}."


def cost_words(snapshot: RendersSnapshot) -> str:
    """Return what is still to be rendered and costs."""
    if not any(programme.pieces for programme in snapshot.programmes):
        return "No timeline shows anything yet: lay clips onto one in Trial."
    if not snapshot.wanted:
        return "Nothing is left to render."
    return f"To render: {_cost_words(cost_of(snapshot.wanted, snapshot.paces))}."


def _cost_words(cost: RenderCost) -> str:
    about = "at a guess" if cost.guessed else "about"
    text = f"{pieces_words(cost.pieces)}, {time_words(float(cost.programme_s))} of programme, "
    return text + f"{bytes_words(cost.bytes)}, {about} {time_words(cost.seconds)}"


def doing_words(snapshot: RendersSnapshot) -> str:
    """Return how far rendering is, "" where nothing is rendered."""
    if not snapshot.waiting:
        return ""
    if snapshot.full:
        return f"{sentence(snapshot.full)}."
    if snapshot.paused:
        return f"Paused: {pieces_words(snapshot.waiting)} wait."
    under_way = {
        row.stood.piece.recipe.identity: (row.stood.piece.recipe, row.stood)
        for row in snapshot.rows
        if row.stood.state in (PieceState.RENDERING, PieceState.QUEUED) and row.stood.piece.recipe is not None
    }
    workers = len({piece.worker for _, piece in under_way.values() if piece.worker})
    if not workers:
        return f"{pieces_words(snapshot.waiting)} wait."
    left = sum(
        seconds_of(recipe, snapshot.paces)[0] * (1 - piece.done / recipe.frames) for recipe, piece in under_way.values()
    )
    on = f" on {workers} workers" if workers > 1 else ""
    return f"Rendering{on}: {pieces_words(snapshot.waiting)} left, about {time_words(left / max(1, workers))}."


def stale_words(snapshot: RendersSnapshot) -> str:
    """Return what no timeline shows any more, "" where there is none."""
    if not snapshot.stale:
        return ""
    return (
        f"{pieces_words(len(snapshot.stale))} that no timeline shows:"
        f" {bytes_words(sum(rendered.bytes for rendered in snapshot.stale))}"
    )


def name_words(row: PieceRow) -> str:
    """Return what a piece shows: the clip's name, in a change both."""
    piece, timeline = row.stood.piece, row.programme.timeline
    if piece.recipe is not None:
        parts = [Path(shown.path).name for shown in (piece.recipe.shown, piece.recipe.over) if shown is not None]
        return " into ".join(parts) or "black"
    result = shown_at(timeline, piece.first) if timeline is not None else None
    return result.item.name if result is not None else ""


def state_words(stood: PieceStatus) -> str:
    """Return how a piece stands, and what is to be said of it."""
    if stood.state == PieceState.EXACT:
        return "plays as it is"
    text: str = stood.state
    if stood.state == PieceState.RENDERING:
        text = f"rendering, {100 * stood.done // max(1, stood.piece.frames)} % {by_words(stood.worker)}".strip()
    return f"{text}: {stood.text}" if stood.text else text


def role_of(state: PieceState) -> str:
    """Return the colour of a state."""
    return _ROLES.get(state, "dust")


def by_words(worker: str) -> str:
    """Return which machine a worker is on, "" where it has not said so yet."""
    host = worker.rpartition(" ")[0]
    return "" if not host else "here" if host == socket.gethostname() else f"on {host}"


def row_words(row: PieceRow) -> str:
    """Return a piece in two lines."""
    timeline = row.programme.timeline
    start = timeline.timecode(row.stood.piece.first) if timeline is not None else ""
    return f"{name_words(row)}, {row.stood.piece.frames} frames from {start}\n{state_words(row.stood)}"


def lane_words(snapshot: RendersSnapshot, name: str) -> str:
    """Return how the pieces of a timeline stand, or why it cannot be read."""
    programme = next(programme for programme in snapshot.programmes if programme.name == name)
    if programme.timeline is None:
        return "cannot be read"
    states = [row.stood.state for row in snapshot.rows if row.programme.name == name]
    if not states:
        return "shows nothing"
    ready = sum(state in (PieceState.EXACT, PieceState.RENDERED) for state in states)
    return "all is ready" if ready == len(states) else f"{ready} of {len(states)} ready"


def sentence(text: str) -> str:
    """Return a text with a capital letter first."""
    return text[:1].upper() + text[1:]


def pieces_words(count: int) -> str:
    """Return how many pieces there are, in words."""
    return counted(count, "piece")


def time_words(seconds: float) -> str:
    """Return a time in words: seconds up to two minutes, minutes up to two hours."""
    if seconds < 120:
        return f"{max(1, round(seconds))} s"
    return f"{round(seconds / 60)} min" if seconds < 7200 else f"{seconds / 3600:.1f} h"
