"""The desk: the door with all models behind it, which goes where models lead."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.app.background.file_follower import FileFollower
from idle_quarry.app.background.lazy_model import LazyModel
from idle_quarry.app.destinations import (
    ActOnRevision,
    CompareRevisions,
    CureFinding,
    Destination,
    LookAtClips,
    MergeDrafts,
    ProveLink,
    ReviewPair,
    SeeInTrial,
    ShowEntry,
    ShowOutput,
    ShowSetting,
    ShowShelfPage,
    ShowTemplate,
    StartJob,
)
from idle_quarry.app.door import Door
from idle_quarry.app.models.library.shelf import Shelf
from idle_quarry.app.models.path.path import PathModel
from idle_quarry.app.preferences import Preferences
from idle_quarry.compiling import ahead
from idle_quarry.library import FileLibrary

if TYPE_CHECKING:  # read when a view of theirs is first opened
    from idle_quarry.app.models.equipment.equipment import Equipment
    from idle_quarry.app.models.help.guide import Guide
    from idle_quarry.app.models.intake.intake import Intake
    from idle_quarry.app.models.jobs.jobs import Jobs
    from idle_quarry.app.models.library.importing import Importing
    from idle_quarry.app.models.library.many import ManyTemplates
    from idle_quarry.app.models.library.merge import Merge
    from idle_quarry.app.models.library.review import Review
    from idle_quarry.app.models.library.standard_set import StandardSet
    from idle_quarry.app.models.line_up.line_up import LineUp
    from idle_quarry.app.models.people.profile import Profile
    from idle_quarry.app.models.proof.proof import Proof


class Desk(Door):
    """What the whole window stands on: views show its models, and models lead to one another through it."""

    # the models of views that are opened later
    review: LazyModel[Review] = LazyModel("library.review", "Review")
    merge: LazyModel[Merge] = LazyModel("library.merge", "Merge")
    importing: LazyModel[Importing] = LazyModel("library.importing", "Importing")
    standard_set: LazyModel[StandardSet] = LazyModel("library.standard_set", "StandardSet")
    many: LazyModel[ManyTemplates] = LazyModel("library.many", "ManyTemplates", "shelf")
    equipment: LazyModel[Equipment] = LazyModel("equipment.equipment", "Equipment")
    guide: LazyModel[Guide] = LazyModel("help.guide", "Guide")
    intake: LazyModel[Intake] = LazyModel("intake.intake", "Intake")
    proof: LazyModel[Proof] = LazyModel("proof.proof", "Proof")
    line_up: LazyModel[LineUp] = LazyModel("line_up.line_up", "LineUp")
    jobs: LazyModel[Jobs] = LazyModel("jobs.jobs", "Jobs")
    profile: LazyModel[Profile] = LazyModel("people.profile", "Profile")

    def __init__(self, library: FileLibrary, preferences: Preferences) -> None:
        super().__init__(library, preferences)
        self.going.connect(self._go)
        self._follower = None if library.at_hand else FileFollower(library.place, self._others_saved)
        self.shelf = Shelf(self)
        self.path = PathModel(self)

    def _others_saved(self) -> None:
        """Another program, or another window, wrote into the library's file."""
        self.shelves_changed.emit()
        self.jobs_changed.emit()

    def _go(self, destination: Destination) -> None:
        match destination:
            case ShowShelfPage(page):
                if page == "standard_set":
                    self.standard_set.list_anew()
                elif page == "many":
                    self.many.show()
                self.shelf.show_page(page)
            case ShowTemplate(template_id):
                self.shelf.back()
                self.shelf.choose(template_id)
            case ShowEntry(ident):
                if ident:
                    self.equipment.choose(ident)
                self.shelf.show_page("equipment")
            case ReviewPair(left, right):
                self.review.show_pair(left, right)
                self.shelf.show_page("review")
            case CompareRevisions(a, b):
                self.shelf.compare(a, b)
            case MergeDrafts(template_id, a, b):
                self.view_wanted.emit("Library")
                self.shelf.look_at(template_id)
                if self.merge.show_drafts(template_id, a, b):
                    self.shelf.show_page("merge")
            case ActOnRevision(act, number):
                self.shelf.act(act, number)
            case CureFinding(finding):
                self.path.cure(finding)
            case ShowSetting(place):
                self.path.go_to(place)
            case StartJob(stored):
                self.jobs.prepare(stored)
            case SeeInTrial(timeline, frame):
                self.jobs.show_page("Trial")
                self.jobs.trial.open_at(timeline, frame)
            case LookAtClips(paths):
                self.view_wanted.emit("Intake")
                self.intake.look_at(list(paths))
            case ProveLink(station, clip):
                self.proof.prove(station, clip)
            case ShowOutput():
                self.line_up.show_page("Output")
                self.view_wanted.emit("Line-up")

    def look_at_file(self) -> None:
        """Look, off the interface thread, whether the library's file is whole; say so where it is not."""
        from idle_quarry.library.safety import torn

        place = self.library.place

        def done(wrong: str) -> None:
            if wrong:
                self.say(
                    f"The library's file is damaged: {wrong}. Put back a copy ('library restore'), or rescue what is"
                    " sound ('library rescue'), before more is saved in it.",
                    refusal=True,
                )

        self.workers.start(lambda _ticket: torn(place), done, self.refuse)

    def close(self) -> None:
        """Keep unsaved work and let go of everything."""
        self.documents.keep_all()
        self.documents.keeping.close()
        if "line_up" in vars(self):
            self.line_up.stop()
        self.compiler.close()
        with ahead.closing():
            self.workers.close()
        if "jobs" in vars(self):
            self.jobs.close()
        if self._follower is not None:
            self._follower.close()
        self.lending.close()
        self.server.close()
        self.library.close()
