"""What a job needs next, in the order of the work: material, a look at it, what somebody must see about its changes."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from idle_quarry.jobs.check import Job
from idle_quarry.jobs.folder_plan import PAPERS

Act = Literal["open", "look at clips", ""]


@dataclass(frozen=True)
class NextStep:
    """One thing to do, and what can be done about it at once: open `path`, or look at the clips in it."""

    text: str
    act: Act = ""
    label: str = ""
    path: Path | None = None


def next_steps(job: Job) -> list[NextStep]:
    """Return what is to be done in a job, first things first."""
    results = []
    lost = [drifted.path for drifted in job.drift if drifted.kind == "missing"]
    if lost:
        them = lost[0] if len(lost) == 1 else f"{len(lost)} things the job was started with"
        results.append(NextStep(f"Put back {them}, or move the job to a revision: that makes papers and line-up anew."))
    count = len(job.material)
    material = next((name for name in job.folders if "/" not in name), "")
    if not count:
        wanted = ", ".join(source.name for source in job.template.sources)
        text = f"Put the material into {material}." + (f" Expected: {wanted}." if wanted else "")
        results.append(NextStep(text, "open", "Open the folder", job.folder / material))
        sheet = job.folder / PAPERS / "Camera sheet.pdf"
        if sheet.is_file():
            results.append(
                NextStep("Give the crew the camera sheet before they record.", "open", "Open the camera sheet", sheet)
            )
    else:
        clips = "1 clip lies" if count == 1 else f"{count} clips lie"
        text = f"{clips} in the job: see whether they are what the template expects."
        results.append(NextStep(text, "look at clips", "Look at them in Intake", job.folder))
    return results
