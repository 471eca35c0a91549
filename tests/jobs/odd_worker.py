"""A worker of a house that is quick to be taken for dead, on a machine whose clock may be wrong: `--skew SECONDS`,
the rest as a worker has it.
"""

import sys
from datetime import UTC, datetime, timedelta

from procrastinate import utils

from idle_quarry.jobs.lending import task_server, worker

if __name__ == "__main__":
    task_server.HEARTBEAT_S, worker._DEAD_S, worker._LOOK_S = 0.4, 0.7, 0.2
    given = sys.argv[1:]
    if "--skew" in given:
        at = given.index("--skew")
        skew = timedelta(seconds=float(given[at + 1]))
        del given[at : at + 2]
        utils.utcnow = lambda: datetime.now(tz=UTC) + skew
    sys.exit(worker.main(given))
