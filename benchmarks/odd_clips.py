"""An hour of mutated clips of every container: no traceback, no hang, no crash, never more than one gigabyte."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from common import ROOT, machine

sys.path.insert(0, str(ROOT))

from tests.media.mutated import attacked


def main() -> None:
    """Attack for as many minutes as the first argument says, sixty without one; print what failed and where it lies."""
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    folder = Path(tempfile.mkdtemp(prefix="quarry-odd-"))
    print(f"mutated clips for {minutes:g} minutes; {machine()}")
    looker = attacked(folder, 60 * minutes)
    print(
        f"{looker.looked} clips, {len(looker.failures)} failures" + (f", kept in {folder}" if looker.failures else "")
    )
    for failure in looker.failures[:30]:
        print(f"  {failure}")


if __name__ == "__main__":
    main()
