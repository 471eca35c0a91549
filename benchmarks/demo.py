"""The demo's finished work holds what the guide promises: an episode with one fault, a file from elsewhere with six.

Made in a home of its own by the demo's own process, then verified against the template's delivery in SD.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from time import perf_counter

from common import machine

EPISODE, FOREIGN = {"field_order"}, {"container", "aspect", "field_order", "flash", "sound_layout", "loudness"}


def main() -> None:
    home = Path(tempfile.mkdtemp(prefix="quarry-demo-"))
    for name in ("DATA", "CONFIG", "STATE", "CACHE"):
        os.environ[f"XDG_{name}_HOME"] = str(home / name.lower())
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    print(machine())
    try:
        begun = perf_counter()
        subprocess.run([sys.executable, "-m", "idle_quarry.demo.finish"], check=True)
        print(f"made in {perf_counter() - begun:.0f} s, behind what else is done")
        _looked_at()
    finally:
        shutil.rmtree(home, ignore_errors=True)


def _looked_at() -> None:
    from idle_quarry.demo import sheet_seven as week
    from idle_quarry.demo.finish import _delivered, _foreign
    from idle_quarry.jobs.check import check_job
    from idle_quarry.jobs.handover.record import noted, with_made
    from idle_quarry.jobs.handover.verify import verify

    job = check_job(_delivered().parent.parent)
    delivery = next(item for item in job.template.deliveries if item.id == "sd-50")
    for path, wanted in ((_delivered(), EPISODE), (_foreign(), FOREIGN), (week.delivered(), set[str]())):
        if path == week.delivered():
            job = check_job(path.parent.parent)
            delivery = next(item for item in job.template.deliveries if item.id == "hd-59")
        result = verify(path, job.template, delivery, job.revision)
        failing = {check.id for check in result.checks if check.verdict == "fails"}
        known = "made_of" in with_made(job.folder, noted(result)).document
        print(
            f"{path.name}: fails {', '.join(sorted(failing))}; {'as meant' if failing == wanted else 'NOT AS MEANT'}; "
            f"{'leads to its timeline' if known else 'made elsewhere'}"
        )


if __name__ == "__main__":
    main()
