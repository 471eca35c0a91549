"""How the renders of a job stand: each piece of each timeline, what is still to be made and what that costs, what
nothing shows.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.cutting.timeline import Timeline
from idle_quarry.jobs.cutting.timeline_files import read_timeline, timelines_in
from idle_quarry.jobs.material import CHANGED, MISSING, JobClip, class_of, parts_of, read_material, state_of
from idle_quarry.jobs.renders.pieces import Canvas, Piece, PieceState, Stock, pieces_of
from idle_quarry.jobs.renders.queue import TaskStage, TaskState
from idle_quarry.jobs.renders.recipe import Recipe
from idle_quarry.jobs.renders.store import RenderedPiece, RenderStore
from idle_quarry.media.inspecting import inspect
from idle_quarry.media.kept_measurements import identity
from idle_quarry.media.looking import look
from idle_quarry.path.codecs import mbps
from idle_quarry.path.registry import codecs
from idle_quarry.path.template import Template

#: How a piece stands whose task is at a stage.
_BY_STAGE = {
    TaskStage.WAITING: PieceState.QUEUED,
    TaskStage.TAKEN: PieceState.RENDERING,
    TaskStage.FAILED: PieceState.FAILED,
}
#: Seconds that a frame is taken to need where none of its plan was rendered yet, for two million samples of luma.
_GUESS_S = 0.12


@dataclass(frozen=True)
class Programme:
    """A timeline of a job with its pieces, or why it cannot be read."""

    name: str
    timeline: Timeline | None
    canvas: Canvas
    pieces: tuple[Piece, ...] = ()
    why: str = ""


@dataclass(frozen=True)
class RenderCost:
    """What is still to be rendered: pieces, seconds of programme, bytes, and seconds it takes.

    `guessed` where no such piece was made yet.
    """

    pieces: int = 0
    programme_s: Fraction = Fraction(0)
    bytes: int = 0
    seconds: float = 0.0
    guessed: bool = False


# -- what there is -----------------------------------------------------------------------------------------------------


def stock_of(folder: Path, template: Template, entries: Iterable[JobClip] | None = None) -> dict[str, Stock]:
    """Return what is known of the files that a job's timelines may show, by their paths.

    Clips are measured where they were not yet.
    """
    results: dict[str, Stock] = {}
    for entry in read_material(folder) if entries is None else entries:
        state = state_of(entry)
        if state in (MISSING, CHANGED):
            results[str(entry.path)] = Stock(None, why=f"its file is {state}")
            continue
        try:
            clip = look(entry.path)
            source, _ = class_of(entry, clip, template)
            if source is None:
                results[str(entry.path)] = Stock(
                    clip, entry.content, why="it fits no class of the template: choose one in Material"
                )
            else:
                policy = source.policy_for(entry.path.name)
                results[str(entry.path)] = Stock(clip, entry.content, policy, source.cadence)
        except QuarryError as error:
            results[str(entry.path)] = Stock(None, why=error.what)
        for part in parts_of(entry):
            try:
                held = replace(inspect(part.path), format=template.intermediate_format)
                results[str(part.path)] = Stock(held, identity(part.path), held=True)
            except QuarryError as error:
                results[str(part.path)] = Stock(None, why=error.what)
            except OSError as error:
                results[str(part.path)] = Stock(None, why=f"cannot be read ({error.strerror})")
    return results


def canvas_of(template: Template, name: str) -> Canvas:
    """Return what a timeline of a job is rendered to: the working format on its own canvas, in the intermediate
    codec.
    """
    working, codec = template.working.format, codecs()[template.intermediate.codec]
    wanted = next((timeline for timeline in template.timelines if timeline.name == name), None)
    raster = template.canvas(wanted) if wanted is not None else working.raster
    if wanted is None or raster == working.raster:
        return Canvas(working, codec)
    return Canvas(replace(working, raster=raster), codec, wanted.fit)


def programmes_of(job: Job, stock: Mapping[str, Stock]) -> list[Programme]:
    """Return the timelines of a job with their pieces."""
    programmes = []
    for path in timelines_in(job.folder):
        canvas = canvas_of(job.template, path.stem)
        try:
            timeline = read_timeline(path, job.template.working.format.rate)
        except QuarryError as error:
            programmes.append(Programme(path.stem, None, canvas, why=str(error)))
            continue
        programmes.append(Programme(path.stem, timeline, canvas, tuple(pieces_of(timeline, canvas, stock))))
    return programmes


# -- how it stands -----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class PieceStatus:
    """A piece as it stands, its file where it is rendered, frames that are done where it is being rendered, and
    what is to be said.
    """

    piece: Piece
    state: PieceState
    rendered: RenderedPiece | None = None
    done: int = 0
    text: str = ""
    worker: str = ""


def stood(piece: Piece, store: RenderStore | None, states: Mapping[str, TaskState]) -> PieceStatus:
    """Return how a piece stands; `states` is what the queue says."""
    if piece.state is not PieceState.MISSED or piece.recipe is None:
        return PieceStatus(piece, piece.state, text=piece.text)
    rendered = store.find(piece.recipe) if store is not None else None
    if rendered is not None:
        return PieceStatus(piece, PieceState.RENDERED, rendered, text=piece.text)
    task = states.get(piece.recipe.identity)
    if task is None:
        return PieceStatus(piece, PieceState.MISSED, text=piece.text)
    return PieceStatus(piece, _BY_STAGE[task.stage], None, task.done, task.text or piece.text, task.worker)


class TimelineStatus:
    """The pieces of a timeline as they stand, and which of them lies at a frame."""

    def __init__(self, pieces: Iterable[PieceStatus]) -> None:
        self.all = tuple(pieces)
        self._firsts = [piece.piece.first for piece in self.all]

    def at(self, frame: int) -> PieceStatus | None:
        number = bisect_right(self._firsts, frame) - 1
        piece = self.all[number] if number >= 0 else None
        return piece if piece is not None and frame < piece.piece.last else None


def wanted_of(programmes: Iterable[Programme], store: RenderStore | None) -> list[Recipe]:
    """Return what is to be rendered and is not there, each once, in the order of the timelines."""
    results: dict[str, Recipe] = {}
    for programme in programmes:
        for piece in programme.pieces:
            if piece.state is PieceState.MISSED and piece.recipe is not None:
                results.setdefault(piece.recipe.identity, piece.recipe)
    return [recipe for recipe in results.values() if store is None or store.find(recipe) is None]


def shown_first(programme: Programme, frame: int) -> list[Recipe]:
    """Return what a timeline shows from a frame on, then what lies before it, the nearest first."""
    pieces = [piece for piece in programme.pieces if piece.state is PieceState.MISSED]
    after = [piece.recipe for piece in pieces if piece.recipe is not None and piece.last > frame]
    before = [piece.recipe for piece in pieces if piece.recipe is not None and piece.last <= frame]
    return [*after, *reversed(before)]


def seconds_of(recipe: Recipe, paces: Mapping[str, float]) -> tuple[float, bool]:
    """Return how long a piece takes to render, and whether that is guessed."""
    known = paces.get(recipe.plan)
    raster = recipe.format.raster
    return (
        recipe.frames * (known if known is not None else _GUESS_S * raster.width * raster.height / 2e6),
        known is None,
    )


def bytes_of(recipe: Recipe) -> int:
    """Return about how many bytes a piece takes."""
    return int(mbps(recipe.codec, recipe.format) * 1e6 / 8 * recipe.frames / recipe.format.rate)


def cost_of(recipes: Sequence[Recipe], paces: Mapping[str, float]) -> RenderCost:
    """Return what rendering these costs on one processor after the other."""
    times = [seconds_of(recipe, paces) for recipe in recipes]
    return RenderCost(
        len(recipes),
        sum((recipe.frames / recipe.format.rate for recipe in recipes), Fraction(0)),
        sum(bytes_of(recipe) for recipe in recipes),
        sum(seconds for seconds, _ in times),
        any(guessed for _, guessed in times),
    )


def shown_by_none(programmes: Iterable[Programme], store: RenderStore) -> list[RenderedPiece]:
    """Return the renders that no timeline shows any more."""
    shown = {
        piece.recipe.identity for programme in programmes for piece in programme.pieces if piece.recipe is not None
    }
    return [rendered for rendered in store.all() if rendered.identity not in shown]
