"""A server of forked workers, each of which renders at once: for every line that it reads it forks one, and says
its number.

`python -m tests.jobs.warm_worker QUEUE STORE`
"""

import os
import sys
from pathlib import Path

from idle_quarry.compile_all import conversions
from idle_quarry.jobs.renders.worker import work
from idle_quarry.picture import strips

if __name__ == "__main__":
    strips._inside.busy = True  # a pool's threads would be missing in its children
    conversions()
    strips._inside.busy = False
    for _line in sys.stdin:
        child = os.fork()
        if child == 0:
            work(Path(sys.argv[1]), Path(sys.argv[2]))
            os._exit(0)
        print(child, flush=True)
        os.waitpid(child, 0)
