"""Where else in the window something leads: a model says it as a value (`Door.go`), and the desk goes there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from idle_quarry.library import StoredTemplate
from idle_quarry.path.evaluation import Finding


@dataclass(frozen=True)
class ShowShelfPage:
    """A page over the shelves ("review", "merge", "importing", "standard_set", "many", "equipment"), or the shelves
    ("").
    """

    page: str


@dataclass(frozen=True)
class ShowTemplate:
    """A template on its shelf."""

    template_id: str


@dataclass(frozen=True)
class ShowEntry:
    """Equipment and specs, and of them one entry ("" for none)."""

    ident: str


@dataclass(frozen=True)
class ReviewPair:
    """Two revisions beside one another."""

    left: StoredTemplate
    right: StoredTemplate


@dataclass(frozen=True)
class CompareRevisions:
    """Two revisions of the chosen template beside one another, by their numbers."""

    a: int
    b: int


@dataclass(frozen=True)
class MergeDrafts:
    """Two drafts of a template, to be made one."""

    template_id: str
    a: int
    b: int


@dataclass(frozen=True)
class ActOnRevision:
    """What goes with an act on a revision of the chosen template is asked for, and the act carried out."""

    act: str
    number: int


@dataclass(frozen=True)
class CureFinding:
    """The open template, where a finding's remedy is carried out."""

    finding: Finding


@dataclass(frozen=True)
class ShowSetting:
    """A setting of the open template, by its place."""

    place: str


@dataclass(frozen=True)
class StartJob:
    """The page that starts a job from a revision."""

    stored: StoredTemplate


@dataclass(frozen=True)
class SeeInTrial:
    """A frame of a timeline of the job that is looked at, in its trial."""

    timeline: str
    frame: int


@dataclass(frozen=True)
class LookAtClips:
    """Clips in Intake."""

    paths: Sequence[Path]


@dataclass(frozen=True)
class ProveLink:
    """The link of a station in Proof, with a clip where one is given."""

    station: str
    clip: Path | None


@dataclass(frozen=True)
class ShowOutput:
    """What is sent to the monitor, in Line-up."""


Destination = (
    ShowShelfPage
    | ShowTemplate
    | ShowEntry
    | ReviewPair
    | CompareRevisions
    | MergeDrafts
    | ActOnRevision
    | CureFinding
    | ShowSetting
    | StartJob
    | SeeInTrial
    | LookAtClips
    | ProveLink
    | ShowOutput
)
