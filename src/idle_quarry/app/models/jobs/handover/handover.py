"""A job's hand-over: deliveries made, files verified, each check with its places, what was accepted by whom."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal

from idle_quarry.app.background.workers import Ticket
from idle_quarry.app.destinations import SeeInTrial, ShowSetting
from idle_quarry.app.models.intake.scrubber import Scrubber
from idle_quarry.app.models.jobs.handover.verify_queue import VerifyQueue
from idle_quarry.app.models.jobs.handover.watched_folder import WatchedFolder
from idle_quarry.app.models.jobs.part import JobPart
from idle_quarry.app.questions import Answered, Question
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.cutting.timeline_files import timelines_in
from idle_quarry.jobs.handover.causes import frame_of
from idle_quarry.jobs.handover.check_table import setting_of
from idle_quarry.jobs.handover.record import (
    VerificationRecord,
    accepted,
    handed_over,
    keep_accepted,
    keep_file,
    read_record,
)
from idle_quarry.media.inspecting import inspect
from idle_quarry.path.template_parts import Delivery
from idle_quarry.printing import write_pdf

if TYPE_CHECKING:  # what measures pictures is slow to read, and read by the workers that do
    from idle_quarry.app.models.jobs.job_list import JobList
    from idle_quarry.media.whole.measure import FileMeasurement

PAGE = "Hand-over"
_GRAVE = {"fails": 0, "look": 1, "passes": 2, "not checked": 3}


class Handover(JobPart):
    """`chosen_changed`: another file or check is looked at."""

    chosen_changed = Signal()

    def __init__(self, jobs: JobList) -> None:
        super().__init__(jobs)
        self.files: tuple[VerificationRecord, ...] = ()
        self.chosen: VerificationRecord | None = None
        self.check: str = ""  #: the check that is looked at
        self.measured: FileMeasurement | None = None  #: of the chosen file, for its lanes; None while it is not known
        self.scrubber = Scrubber(self.door)
        self.watched = WatchedFolder(self)
        self.to_verify = VerifyQueue(self)
        self._folder: Path | None = None
        self.follow(self._see)

    # -- looking -------------------------------------------------------------------------------------------------------

    def _see(self) -> None:
        job = self.job
        folder = job.folder if job is not None else None
        if self.jobs.page != PAGE or folder == self._folder:
            return
        self.stop()
        self.to_verify.clear(unreadable=True)
        self.watched.watch(None)
        self._folder, self.files, self.chosen, self.measured = folder, (), None, None
        if folder is not None:
            self.door.workers.start(lambda _ticket: read_record(folder), self._show_files, self.door.refuse)
        self.changed.emit()

    def _show_files(self, files: tuple[VerificationRecord, ...]) -> None:
        self.files = files
        self.choose(files[0] if files else None)
        self.changed.emit()

    def deliveries(self) -> Sequence[Delivery]:
        """Return the deliveries of the job's template."""
        return self.job.template.deliveries if self.job is not None else ()

    def delivery_name(self, file: VerificationRecord) -> str:
        """Return what the delivery is called that a file was held against."""
        ident = str(file.document["delivery"])
        return next((delivery.name for delivery in self.deliveries() if delivery.id == ident), ident)

    def timelines(self) -> list[str]:
        """Return the names of the job's timelines."""
        return [path.stem for path in timelines_in(self.job.folder)] if self.job is not None else []

    def choose(self, file: VerificationRecord | None) -> None:
        """Look at a file that was verified: its checks, gravest first, and its lanes.

        At the same file, the check that was looked at.
        """
        same = file is not None and self.chosen is not None and file.path == self.chosen.path
        self.chosen, self.measured = file, None
        checks = self.checks()
        if not same or self.check not in {check["id"] for check in checks}:
            self.check = checks[0]["id"] if checks else ""
        self.scrubber.show_clip(None)
        if file is not None:
            delivery = next(
                (delivery for delivery in self.deliveries() if delivery.id == file.document["delivery"]), None
            )

            def work(_ticket: Ticket) -> tuple[Any, FileMeasurement | None]:
                from idle_quarry.jobs.handover.verify import measure_options_of
                from idle_quarry.media.whole.measure import remembered

                clip = inspect(file.path)
                return clip, remembered(file.path, measure_options_of(delivery)) if delivery is not None else None

            def done(results: tuple[Any, FileMeasurement | None]) -> None:
                if file is self.chosen:
                    self.measured = results[1]
                    self.scrubber.show_clip(results[0])
                    self._go_to_place()
                    self.chosen_changed.emit()

            self.door.workers.start(work, done, lambda _error: None)
        self.chosen_changed.emit()

    def checks(self) -> list[dict[str, Any]]:
        """Return the checks of the file that is looked at, failed first."""
        if self.chosen is None:
            return []
        return sorted(self.chosen.document["checks"], key=lambda check: _GRAVE[check["verdict"]])

    def look_at(self, check: str, place: int = 0) -> None:
        """Look at a check, and at one of its places."""
        self.check = check
        self._go_to_place(place)
        self.chosen_changed.emit()

    def _go_to_place(self, number: int = 0) -> None:
        results = next((check for check in self.checks() if check["id"] == self.check), None)
        if results is not None and results["where"]:
            place = results["where"][min(number, len(results["where"]) - 1)]
            self.scrubber.go(min(place["first_frame"] + 1, max(place["first_frame"], place["last_frame"] - 1)))

    def accepted_words(self, check: str) -> str:
        """Return who accepted a check, and why; "" where nobody did."""
        for acceptance in self.chosen.accepted if self.chosen is not None else ():
            if acceptance.check == check:
                return f"accepted by {acceptance.by}, {acceptance.when[:10]}: {acceptance.because}"
        return ""

    # -- causes --------------------------------------------------------------------------------------------------------

    def setting(self) -> str | None:
        """Return the place of the setting that the check that is looked at is of."""
        return setting_of(self.check, self.chosen.document["delivery"]) if self.chosen is not None else None

    def see_setting(self) -> None:
        """Open the job's template at that setting."""
        place, record = self.setting(), self.jobs.record
        if place is None or record is None:
            return
        self.door.open_stored(record.template_id, record.revision)
        self.door.go(ShowSetting(place))

    def source(self) -> tuple[str, int] | None:
        """Return the timeline and its frame that the picture that is looked at was made of."""
        return frame_of(self.chosen.document, self.scrubber.frame) if self.chosen is not None else None

    def see_in_trial(self) -> None:
        """Look at that frame of its timeline, with what the template does to it."""
        source = self.source()
        if source is not None:
            self.door.go(SeeInTrial(*source))

    # -- doing ---------------------------------------------------------------------------------------------------------

    def verify(self, paths: Sequence[Path], delivery: Delivery) -> None:
        """Hold files against a delivery, one after the other; each is kept with the job as soon as it is done."""
        if self.job is not None and paths:
            self.to_verify.add(self.job, paths, delivery)

    def stop(self) -> None:
        super().stop()
        self.to_verify.clear()

    def make(self, delivery: Delivery, timeline: str, folder: Path) -> None:
        """Make a delivery of a timeline into a folder; it is verified, and handed over where nothing of it fails."""
        job = self.job
        if job is None:
            return

        def work(ticket: Ticket) -> tuple[VerificationRecord, bool]:
            from idle_quarry.jobs.lending.job_tasks import delivered

            return delivered(self.door.lending.house()[0], job, timeline, delivery, folder, ticket.progress)

        def done(results: tuple[VerificationRecord, bool]) -> None:
            new, passes = results
            self.keep(job, new)
            self.door.say(
                f"{new.path.name} is"
                f" made{' and passes' if passes else ', and fails its own spec: it is not handed over'}."
                + (f" {new.document['remark']}" if "remark" in new.document else "")
            )
            self.to_verify.go_on(job)

        self.run(f"making {delivery.name}", work, done, lambda: self.to_verify.go_on(job))

    def keep(
        self,
        job: Job,
        result: VerificationRecord,
        keep: Callable[[Path, VerificationRecord], tuple[VerificationRecord, ...]] = keep_file,
    ) -> None:
        """Keep a verification with its job, by `keep`, and in the library where it is evidence."""
        record = next((record for record in self.jobs.records if Path(record.folder) == job.folder), None)
        library = self.door.library

        def done(files: tuple[VerificationRecord, ...]) -> None:
            stored = next(
                (file for file in files if file.path == result.path and file.document == result.document), result
            )
            handed = handed_over(stored, job, record.template_id, library.person) if record is not None else None
            if handed is not None:
                self.door.write(
                    lambda library: library.record_handover(handed),
                    lambda _none: self.door.shelves_changed.emit(),
                    self.door.refuse,
                )
            if job.folder == self._folder:
                self._show_files(files)

        self.door.workers.start(lambda _ticket: keep(job.folder, result), done, self.door.refuse)

    def accept(self) -> None:
        """Ask why the check that is looked at is accepted, and keep that with the person's name."""
        job, file, check = self.job, self.chosen, self.check
        if job is None or file is None:
            return

        def take(because: str, answered: Answered) -> None:
            try:
                new = accepted(file, check, self.door.library.person, because)
            except QuarryError as error:
                answered(str(error))
                return
            answered(None)
            person = self.door.library.person
            self.keep(job, new, lambda folder, _new: keep_accepted(folder, file, check, person, because))

        self.asked.emit(Question(f"{check.replace('_', ' ').capitalize()} is accepted because", "Accept it", take))

    def report(self, path: Path) -> None:
        """Write the report of the file that is looked at."""
        file = self.chosen
        if file is None:
            return

        def write() -> None:
            from idle_quarry.jobs.handover.report import write_report

            write_report(path, file, write_pdf)

        self.reported(path, write)
