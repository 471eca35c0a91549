"""A house's tasks on its server, for whoever adds them and looks at how they stand: procrastinate's tables, and
what is told beside them.

All times are the server's own: a machine whose clock is wrong does no harm.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import socket
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import psycopg
from procrastinate import App, SyncPsycopgConnector
from procrastinate.exceptions import AlreadyEnqueued, ConnectorException
from procrastinate.jobs import Job as Task

from idle_quarry.errors import Away, JobError, LibraryError, NotPossible, one_line
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.renders.crew import Crew
from idle_quarry.library.server import tasks as tables
from idle_quarry.library.server.opening import address, shown

#: Where a worker that is started for a house finds its address: not among its arguments, which everybody on a machine
#: sees.
SERVER = "IDLE_QUARRY_SERVER"
WORKER = "idle_quarry.jobs.lending.worker"
#: What waits since it is paused waits for a day that never comes.
NEVER = "2999-01-01T00:00:00+00:00"
#: Whether a task waits so.
PAUSED = "coalesce(j.scheduled_at > now() + interval '100 years', false)"
#: A machine that is well is heard of every so many seconds.
HEARTBEAT_S = 5.0
#: Tasks that ended are kept for so many hours: they tell how long things take.
_KEPT_HOURS = 7 * 24
#: Seconds between two looks at a task that is waited for.
_LOOK_S = 0.4


@dataclass(frozen=True)
class MachineAtWork:
    """What a machine of the house does just now: which machine, whose it is, what and for which job, and how far it
    is.
    """

    machine: str
    person: str
    kind: str
    title: str
    done: int
    frames: int
    text: str


def lent_words(lent: MachineAtWork) -> str:
    """Return what a machine does, in words."""
    what = {"piece": "rendering", "bring in": "bringing in", "deliver": "making", "verify": "verifying"}.get(
        lent.kind, lent.kind
    )
    share = f" {100 * lent.done // max(1, lent.frames)} %" if not lent.text else f": {lent.text}"
    return f"{what} for {lent.title}{share}"


def plain(url: str, most: int = 2) -> dict[str, Any]:
    """Return how psycopg's pools reach a server's tasks, by so many connections at the most.

    Raises `LibraryError` for what is no address.
    """
    text = address(url).set(drivername="postgresql").render_as_string(hide_password=False)
    settings = {"options": f"-c search_path={tables.SCHEMA} -c statement_timeout=8000", "connect_timeout": 3}
    return {"conninfo": text, "kwargs": settings, "min_size": 0, "max_size": most, "max_idle": 20.0, "timeout": 4.0}


def key_of(job: Job) -> str:
    """Return what a job's tasks are known by, wherever its folder lies."""
    return hashlib.sha256(f"{job.title}\n{job.started}".encode()).hexdigest()[:12]


def queue_name(key: str, places: Iterable[dict[str, Any]]) -> str:
    """Return the queue of tasks of a job that need these places: a machine takes from those queues only whose
    places it has.

    A place that must lie under the very path that it has where the task was added is told by that path too.
    """
    named = " ".join(
        sorted(
            {
                str(place["place"])
                + (hashlib.sha256(place["root"].encode()).hexdigest()[:6] if place.get("same") else "")
                for place in places
            }
        )
    )
    text = f"{key} {named}"
    if len(text) > 128:
        raise NotPossible("a task needs more places than one can have", subject=named[:40])
    return text


@dataclass(frozen=True)
class TaskAnswer:
    """What came of a task, unbelieved; and which machine said it, and whose that is by the server's own word."""

    value: dict[str, Any]
    machine: str
    person: str

    @property
    def by(self) -> str:
        return f"{self.machine.split(' ')[0]}, of {self.person}"


def _answer(row: dict[str, Any], title: str) -> TaskAnswer:
    if not isinstance(row["result"], dict):
        raise JobError(
            f"{row['machine'] or 'a machine'} said nothing that can be used of it", subject=title, remedy="ask again"
        )
    return TaskAnswer(row["result"], one_line(str(row["machine"]))[:200], one_line(str(row["person"]))[:200])


class TaskServer:
    """The tasks of a house; any number of threads may use it.

    Raises `Away` where the server does not answer, and `LibraryError`.
    """

    def __init__(self, url: str) -> None:
        self.url = url
        self.subject = shown(address(url))
        self.may_add = False  #: whether this person may add tasks
        self._connector = SyncPsycopgConnector(**plain(url))
        self._app = App(connector=self._connector)
        try:
            self._connector.open()
            if not self.rows(f"{tables.IS_THERE} AS there")[0]["there"]:
                raise LibraryError(
                    "it has no tasks for other machines yet",
                    subject=self.subject,
                    remedy="whoever keeps it runs 'server setup' again",
                )
            if not self.rows(f"{tables.IS_GUARDED} AS there")[0]["there"]:
                raise LibraryError(
                    "its tasks are guarded by an older version",
                    subject=self.subject,
                    remedy="whoever keeps it runs 'server setup' again",
                )
            may = "SELECT pg_has_role(session_user, 'quarry_editor', 'MEMBER') AS may"
            self.may_add = bool(self.rows(may)[0]["may"])
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        self._connector.close()

    def rows(self, query: str, **given: Any) -> list[dict[str, Any]]:
        """Return what a query finds."""
        try:
            return self._connector.execute_query_all(query, **given)
        except ConnectorException as error:
            raise self._refusal(error) from error
        except psycopg.Error as error:  # the pool's own word that nobody answers
            raise Away("the server does not answer", subject=self.subject) from error

    def _refusal(self, error: ConnectorException) -> LibraryError:
        cause = error.__cause__
        if getattr(cause, "sqlstate", None) == "42501":
            return LibraryError(
                "the server does not allow this person that", subject=self.subject, remedy="ask whoever keeps it"
            )
        if isinstance(cause, psycopg.OperationalError) or cause is None:
            return Away("the server does not answer", subject=self.subject)
        return LibraryError(f"the server refused ({str(cause).splitlines()[0]})", subject=self.subject)

    # -- adding --------------------------------------------------------------------------------------------------------

    def add(self, tasks: list[Task]) -> None:
        """Add tasks, in their order; of those that wait already none is added twice."""
        self.give_back_stalled()
        for _ in range(3):
            names = [task.queueing_lock for task in tasks]
            self.cancel_waiting(names)
            doing = {
                row["lock"]
                for row in self.rows(
                    "SELECT lock FROM procrastinate_jobs WHERE status = 'doing' AND lock = ANY(%(names)s::text[])",
                    names=names,
                )
            }
            try:
                jobs = [task for task in tasks if task.lock not in doing]
                if jobs:
                    self._app.job_manager.batch_defer_jobs(jobs)
                return
            except AlreadyEnqueued:  # another window added one of them just now
                continue
            except ConnectorException as error:
                raise self._refusal(error) from error
        raise LibraryError("others add the same just now", subject=self.subject, remedy="try again in a moment")

    def cancel_waiting(self, names: Iterable[str | None]) -> None:
        """Have those that wait not be done."""
        self.rows(
            "SELECT procrastinate_cancel_job_v1(id, false, false) FROM procrastinate_jobs "
            "WHERE status = 'todo' AND queueing_lock = ANY(%(names)s::text[])",
            names=list(names),
        )

    def first(self, key: str) -> int:
        """Return the priority that comes before all that waits of a job."""
        row = self.rows(
            "SELECT coalesce(max(priority), 0) + 1 AS first FROM procrastinate_jobs "
            "WHERE status = 'todo' AND queue_name LIKE %(queue)s",
            queue=f"{key} %",
        )[0]
        return int(row["first"])

    def give_back_stalled(self) -> None:
        """Have what dead machines had begun be anybody's again."""
        self.rows("SELECT quarry_give_back_stalled()")

    def clear_old(self) -> None:
        """Forget tasks that ended long ago."""
        self.rows(
            "DELETE FROM procrastinate_jobs j WHERE j.status NOT IN ('todo', 'doing') AND NOT EXISTS (SELECT 1 FROM"
            " procrastinate_events e WHERE e.job_id = j.id AND e.at > now() - make_interval(hours => %(hours)s))"
            " RETURNING 1",
            hours=_KEPT_HOURS,
        )

    # -- waiting for one -----------------------------------------------------------------------------------------------

    def awaited(
        self,
        job: Job,
        kind: str,
        given: dict[str, Any],
        places: list[dict[str, Any]],
        on_progress: Callable[[float], object],
        frames: int = 1000,
    ) -> TaskAnswer:
        """Have some machine do a task, and return what came of it.

        Where `on_progress`, which hears the share that is done, raises, it is stopped.

        A server that goes away is waited for: what was done meanwhile is taken when it is back. Raises `JobError` with
        the machine's own sentence where it could not be done.
        """
        key = key_of(job)
        name = f"{kind} {hashlib.sha256(json.dumps(given, sort_keys=True).encode()).hexdigest()[:40]}"
        task = Task(
            queue=queue_name(key, places),
            lock=name,
            queueing_lock=name,
            task_name=kind,
            priority=self.first(key),
            task_kwargs={"given": given, "places": [*places], "title": job.title, "frames": frames},
        )
        self.add([task])
        ident = self.rows("SELECT max(id) AS id FROM procrastinate_jobs WHERE queueing_lock = %(name)s", name=name)[0][
            "id"
        ]
        crew = self.crew(key)
        try:
            crew.start(1)  # where nobody else is there, it is done here
            done = 0.0
            while True:
                row = self._standing(ident)
                if row is not None and row["status"] == "succeeded":
                    crew.let_go()
                    return _answer(row, job.title)
                if row is not None and row["status"] in ("failed", "cancelled", "aborted"):
                    raise JobError(one_line(row["text"] or "another window stopped it"), subject=job.title)
                done = min(1.0, max(0, row["done"] or 0) / frames) if row is not None else done
                on_progress(done)
                time.sleep(_LOOK_S)
        except BaseException:
            with contextlib.suppress(Away):
                self.rows("SELECT procrastinate_cancel_job_v1(%(id)s, true, false)", id=ident)
            raise
        finally:
            crew.stop()

    def _standing(self, ident: int) -> dict[str, Any] | None:
        """Return how a task stands, None while the server is away. Raises `JobError` where it is gone."""
        try:
            rows = self.rows(
                "SELECT j.status::text, t.done, t.text, t.machine, t.person, "
                f"CASE WHEN octet_length(t.result::text) <= {tables.MOST_RESULT} THEN t.result END AS result "
                "FROM procrastinate_jobs j LEFT JOIN told t ON t.job = j.id WHERE j.id = %(id)s",
                id=ident,
            )
        except Away:
            return None
        if not rows:
            raise JobError("the server knows the task no longer", subject=self.subject, remedy="ask for it again")
        return rows[0]

    def crew(self, key: str) -> Crew:
        """Return workers of this machine for a job's tasks, none of them started."""
        return Crew(WORKER, ["--only", key], settings={SERVER: self.url})

    @property
    def left(self) -> int:
        """How many tasks are waiting or being done, of all jobs."""
        return int(
            self.rows("SELECT count(*) AS left FROM procrastinate_jobs WHERE status IN ('todo', 'doing')")[0]["left"]
        )

    def ended_here(self) -> int:
        """Return how many of the tasks that are known this machine has done."""
        query = (
            "SELECT count(*) AS done FROM procrastinate_jobs j JOIN told t ON t.job = j.id "
            "WHERE j.status = 'succeeded' AND split_part(t.machine, ' ', 1) = %(host)s"
        )
        return int(self.rows(query, host=socket.gethostname())[0]["done"])

    # -- looking -------------------------------------------------------------------------------------------------------

    def here(self) -> list[MachineAtWork]:
        """Return what this machine does just now."""
        return [machine for machine in self.under_way() if machine.machine.split(" ")[0] == socket.gethostname()]

    def under_way(self) -> list[MachineAtWork]:
        """Return what machines of the house do just now."""
        results = self.rows(
            "SELECT t.machine, t.person, j.task_name, j.args, t.done, t.text FROM procrastinate_jobs j "
            "JOIN told t ON t.job = j.id WHERE j.status = 'doing' ORDER BY t.machine, j.id"
        )
        return [
            MachineAtWork(
                row["machine"],
                row["person"],
                row["task_name"],
                str(row["args"].get("title", "")),
                row["done"],
                int(row["args"].get("frames", 0)),
                row["text"],
            )
            for row in results
        ]
