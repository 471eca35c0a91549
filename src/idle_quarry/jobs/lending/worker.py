"""One machine's worker for a house: procrastinate takes the tasks, this does them.

A process of its own that ends with who started it.

It takes only from queues whose places it proves it reaches. What it had begun when it is told to stop it gives back;
what it had begun when it died another takes up, and it ends nothing that is no longer its own.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import logging
import os
import sys
import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

import psycopg
from procrastinate import App, PsycopgConnector, RetryDecision
from procrastinate.exceptions import ConnectorException, JobAborted
from procrastinate.job_context import JobContext
from procrastinate.jobs import Job, Status
from procrastinate.manager import JobManager
from procrastinate.retry import BaseRetryStrategy
from procrastinate.worker import Worker

from idle_quarry.errors import Away, JobError, QuarryError
from idle_quarry.jobs.lending import task_server as of_house
from idle_quarry.jobs.lending.job_tasks import BRING_IN, DELIVER, VERIFY, bring_in_for, deliver_for, verify_for
from idle_quarry.jobs.lending.server_queue import PIECE, piece_of
from idle_quarry.jobs.lending.shared_folders import NotReachable, Reach
from idle_quarry.jobs.lending.task_server import SERVER, TaskServer, plain
from idle_quarry.jobs.renders.queue import worker_name
from idle_quarry.jobs.renders.task_run import TaskRun, WorkStopped, rendered
from idle_quarry.jobs.renders.worker import as_guest, status_of
from idle_quarry.library.server.tasks import SILENT_S
from idle_quarry.reports import unforeseen

#: Seconds between two looks whether there is something to do, between two looks for what dead machines left, and for
#: which a queue is left alone whose places went away.
_LOOK_S, _DEAD_S, _SHUN_S = 1.0, 8.0, 20.0
_AT_ONCE = datetime.fromisoformat("1970-01-01T00:00:00+00:00")  # the server's clock counts, not this machine's


#: What came of a task: the seconds that its frames took, 0 where none were made, and what it is answered.
_Done = tuple[float, dict[str, Any] | None]
_Whole = Callable[[dict[str, Any], Reach, Callable[[str, float], None]], dict[str, Any]]


class _TaskReturned(Exception):
    """A task that this machine does not end: another may."""


class _RetryOfReturned(BaseRetryStrategy):
    """What is given back is done by somebody at once; what fails, fails."""

    def get_retry_decision(self, *, exception: BaseException, job: Job) -> RetryDecision | None:
        return RetryDecision(retry_at=_AT_ONCE) if isinstance(exception, _TaskReturned) else None


class _GuardedTasks(JobManager):
    """Takes, ends and gives back through the server's guards: one that slept through its own death changes nothing."""

    def __init__(self, connector: Any, machine: str) -> None:
        super().__init__(connector)
        self._machine = machine

    async def fetch_job(self, queues: Iterable[str] | None, worker_id: int) -> Job | None:
        row = await self.connector.execute_query_one_async(
            "SELECT id, status, task_name, priority, lock, queueing_lock, args, scheduled_at, queue_name, attempts,"
            " worker_id FROM quarry_take(%(queues)s::varchar[], %(worker)s::bigint)",
            queues=queues,
            worker=worker_id,
        )
        return None if row["id"] is None else Job.from_row(row)

    async def finish_job(self, job: Job, status: Status, delete_job: bool) -> None:
        # what came of a whole task was said, and the task ended, in one act before this
        await self.connector.execute_query_async(
            "SELECT quarry_end(%(job)s, %(worker)s, %(machine)s, %(status)s, 0, '', 0, NULL)",
            job=job.id,
            worker=job.worker_id,
            machine=self._machine,
            status=status.value,
        )

    async def retry_job(self, job: Job, retry_at: datetime | None = None, *_same: Any, **_options: Any) -> None:
        await self.connector.execute_query_async(
            "SELECT quarry_give_back(%(job)s, %(worker)s)", job=job.id, worker=job.worker_id
        )


@dataclass
class _LentTask:
    """A task of the house, as its worker speaks of it.

    A server that does not answer changes nothing: the work is still good.
    """

    house: TaskServer
    job: Job
    machine: str
    paused: bool = False

    def alive(self, done: int, text: str = "") -> bool:
        try:
            return self.say(done, text)
        except Away:
            return True

    def say(self, done: int, text: str = "") -> bool:
        """Have it told beside the task; return whether the task is still this worker's.

        Raises `Away`, `LibraryError`.
        """
        rows = self.house.rows(
            "SELECT quarry_tell(%(job)s, %(worker)s, %(machine)s, %(done)s, %(text)s) AS paused",
            job=self.job.id,
            worker=self.job.worker_id,
            machine=self.machine,
            done=done,
            text=text,
        )
        self.paused = bool(rows[0]["paused"])
        return rows[0]["paused"] is not None

    def end(self, done: int, seconds: float, result: dict[str, Any] | None) -> bool:
        """Have what came of it told, and the task ended by that; return whether it was still this worker's."""
        rows = self.house.rows(
            "SELECT quarry_end(%(job)s, %(worker)s, %(machine)s, 'succeeded', %(done)s, '', %(seconds)s,"
            " %(result)s::text::jsonb) AS ended",
            job=self.job.id,
            worker=self.job.worker_id,
            machine=self.machine,
            done=done,
            seconds=seconds,
            result=None if result is None else json.dumps(result, ensure_ascii=False),
        )
        return bool(rows[0]["ended"])


class Lender:
    """Takes a house's tasks, of all jobs or `only` of one; with that it ends when none of them is left."""

    def __init__(self, url: str, reach: Reach, machine: str, stop: threading.Event, only: str = "") -> None:
        self._reach, self._machine, self._stop, self._only = reach, machine, stop, only
        self._house = TaskServer(url)
        self._worker: Worker
        self._begun = 0.0
        self._shunned: dict[str, float] = {}  #: queues whose places went away, and until when they are left alone
        self._app = App(connector=PsycopgConnector(**plain(url, 1)))
        self._app.job_manager = _GuardedTasks(self._app.connector, machine)
        self._task(PIECE, lambda given, turn, _frames: (rendered(*piece_of(given, reach), turn), None))
        for name, work in ((BRING_IN, bring_in_for), (DELIVER, deliver_for), (VERIFY, verify_for)):
            self._task(name, partial(self._whole, work))

    # -- doing one -----------------------------------------------------------------------------------------------------

    def _whole(self, work: _Whole, given: dict[str, Any], turn: TaskRun, frames: int) -> _Done:
        """Do what is no piece; how far it is is told in thousandths."""
        return 0.0, work(given, self._reach, lambda _what, share: turn.report(int(share * frames)))

    def _task(self, name: str, work: Callable[[dict[str, Any], TaskRun, int], _Done]) -> None:
        """Have procrastinate know a kind of task, and what does it."""

        def do(context: JobContext, /, *, given: dict[str, Any], frames: int, **_options: Any) -> None:
            of = _LentTask(self._house, context.job, self._machine)
            turn = TaskRun(of, self._stop)
            try:
                turn.say(0)
                seconds, result = work(given, turn, frames)
                if not of.end(frames, seconds, result):
                    raise WorkStopped
            except WorkStopped:
                if self._stop.is_set():
                    raise _TaskReturned from None
                raise JobAborted from None
            except NotReachable as error:
                self._shunned[context.job.queue] = time.monotonic() + _SHUN_S
                raise _TaskReturned from error
            except Away as error:  # what was made is there all the same: whoever takes it again finds it
                raise _TaskReturned from error
            except QuarryError as error:
                of.alive(0, str(error))
                raise
            except Exception as error:  # an odd clip that nobody thought of: the rest goes on
                of.alive(0, unforeseen(error))
                raise
            finally:
                # between two tasks, never in one: a worker that is told to stop says no word any more that it is alive
                others = time.monotonic() - self._begun > _DEAD_S
                if self._stop.is_set() or context.job.queue in self._shunned or others:
                    self._worker.stop()  # type: ignore[no-untyped-call]

        self._app.task(name=name, pass_context=True, retry=_RetryOfReturned())(do)

    # -- taking --------------------------------------------------------------------------------------------------------

    async def run(self) -> None:
        """Take tasks until it is told to stop, or, of one job, none is left.

        Raises `QuarryError` where the server refuses.
        """
        async with self._app.open_async():
            watching = asyncio.create_task(self._watch())
            try:
                while not self._stop.is_set():
                    try:
                        queues, left = await asyncio.to_thread(self._queues)
                        if queues:
                            await self._work(queues)
                            continue
                        if self._only and not left:
                            return
                    except (ConnectorException, psycopg.Error, Away):
                        pass  # it is tried again: what is lent is no hurry
                    await asyncio.sleep(_LOOK_S)
            finally:
                watching.cancel()

    async def _watch(self) -> None:
        """Look for what dead machines left, again and again."""
        while True:
            with contextlib.suppress(QuarryError):
                await asyncio.to_thread(self._house.give_back_stalled)
            await asyncio.sleep(_DEAD_S)

    def _queues(self) -> tuple[list[str], int]:
        """Return the queues that have something to do whose places are reached, proved now.

        And how many tasks are left.
        """
        rows = self._house.rows(
            "SELECT q.queue_name, q.left, j.args -> 'places' AS places FROM (SELECT queue_name, count(*) AS left, "
            "min(id) FILTER (WHERE status = 'todo' AND (scheduled_at IS NULL OR scheduled_at <= now())) AS first "
            "FROM procrastinate_jobs WHERE status IN ('todo', 'doing') AND queue_name LIKE %(of)s GROUP BY 1) q "
            "LEFT JOIN procrastinate_jobs j ON j.id = q.first",
            of=f"{self._only} %" if self._only else "%",
        )
        now = time.monotonic()
        self._shunned = {queue: until for queue, until in self._shunned.items() if until > now}
        results = [
            row["queue_name"]
            for row in rows
            if row["places"] is not None and row["queue_name"] not in self._shunned and self._reaches(row["places"])
        ]
        return results, sum(row["left"] for row in rows)

    def _reaches(self, places: list[dict[str, Any]]) -> bool:
        for place in places:
            root = self._reach.root(place["place"], place["root"])
            if root is None or (place.get("same") and str(root) != place["root"]):
                return False
        return True

    async def _work(self, queues: list[str]) -> None:
        """Do what is in some queues, until there is nothing more, or other queues are to be looked at."""
        self._worker = Worker(
            self._app,
            queues=queues,
            name=self._machine,
            wait=False,
            concurrency=1,
            listen_notify=False,
            install_signal_handlers=False,
            update_heartbeat_interval=of_house.HEARTBEAT_S,
            stalled_worker_timeout=SILENT_S,
        )
        self._begun = time.monotonic()
        await self._worker.run()  # type: ignore[no-untyped-call]

    def close(self) -> None:
        self._house.close()


def main(arguments: list[str] | None = None) -> int:
    """Do a house's tasks; the server's address is in the environment, where others on this machine do not see it."""
    parser = argparse.ArgumentParser(prog="worker")
    parser.add_argument("--only", default="", help="the tasks of one job")
    parser.add_argument(
        "--place", type=Path, action="append", default=[], help="a marked folder as it lies on this machine"
    )
    parser.add_argument("--core", type=int)
    options = parser.parse_args(arguments)
    logging.getLogger("procrastinate").setLevel(logging.CRITICAL)
    stop = as_guest(options.core)

    def lend() -> None:
        if SERVER not in os.environ:
            raise JobError("no server is named", subject=SERVER)
        lender = Lender(os.environ[SERVER], Reach(options.place), worker_name(os.getpid()), stop, options.only)
        with contextlib.closing(lender):
            asyncio.run(lender.run())

    return status_of(lend)


if __name__ == "__main__":
    sys.exit(main())
