"""What rooms do for one another, on the server: tasks in procrastinate's own tables and functions, in a schema of their own.

Editors add tasks, anyone takes them: what a task is to do can be changed by nobody. What is said of a task while it is done
(`told`) lies beside it, and each says it in their own name.
"""

from __future__ import annotations

#: The schema in the database; `search_path` finds procrastinate's names in it.
SCHEMA = "quarry_tasks"
#: Whether it is there.
IS_THERE = f"SELECT to_regclass('{SCHEMA}.procrastinate_jobs') IS NOT NULL"

#: What is told of a task: by which machine and person it is done, how many of its frames are, what kept it, seconds that frames
#: took, and what came of it.
_TOLD = f"""
CREATE TABLE IF NOT EXISTS {SCHEMA}.told (
    job bigint PRIMARY KEY REFERENCES {SCHEMA}.procrastinate_jobs(id) ON DELETE CASCADE,
    machine text NOT NULL, person text NOT NULL DEFAULT session_user, done integer NOT NULL DEFAULT 0,
    text text NOT NULL DEFAULT '', seconds real NOT NULL DEFAULT 0, result jsonb
);
ALTER TABLE {SCHEMA}.told ENABLE ROW LEVEL SECURITY;
DROP POLICY IF EXISTS read ON {SCHEMA}.told;
DROP POLICY IF EXISTS said ON {SCHEMA}.told;
DROP POLICY IF EXISTS said_again ON {SCHEMA}.told;
CREATE POLICY read ON {SCHEMA}.told FOR SELECT TO quarry_reader USING (true);
CREATE POLICY said ON {SCHEMA}.told FOR INSERT TO quarry_reader WITH CHECK (person = session_user);
CREATE POLICY said_again ON {SCHEMA}.told FOR UPDATE TO quarry_reader USING (true) WITH CHECK (person = session_user);
"""

#: Table, group, what it may; an editor may what a reader may.
GRANTED: tuple[tuple[str, str, str], ...] = (
    ("procrastinate_jobs", "quarry_reader", "SELECT"),
    # a machine takes tasks, ends them and gives them back
    ("procrastinate_jobs", "quarry_reader",
     "UPDATE (status, attempts, abort_requested, worker_id, scheduled_at, priority, queue_name, lock)"),
    ("procrastinate_workers", "quarry_reader", "SELECT"),
    ("procrastinate_workers", "quarry_reader", "INSERT"),
    ("procrastinate_workers", "quarry_reader", "UPDATE"),
    ("procrastinate_workers", "quarry_reader", "DELETE"),
    ("procrastinate_events", "quarry_reader", "SELECT"),
    ("procrastinate_events", "quarry_reader", "INSERT"),
    ("told", "quarry_reader", "SELECT"),
    ("told", "quarry_reader", "INSERT"),
    ("told", "quarry_reader", "UPDATE"),
    ("procrastinate_jobs", "quarry_editor", "INSERT"),
    # what ended long ago is cleared away by whoever adds more
    ("procrastinate_jobs", "quarry_editor", "DELETE"),
    ("procrastinate_periodic_defers", "quarry_editor", "SELECT"),
    ("procrastinate_periodic_defers", "quarry_editor", "UPDATE"),
)  # fmt: skip
#: Functions that whoever takes tasks calls, and those that whoever adds them does.
TAKING = (
    "procrastinate_fetch_job_v2", "procrastinate_finish_job_v1", "procrastinate_retry_job_v2", "procrastinate_cancel_job_v1",
    "procrastinate_register_worker_v1", "procrastinate_unregister_worker_v1", "procrastinate_update_heartbeat_v1",
    "procrastinate_prune_stalled_workers_v1",
)  # fmt: skip
ADDING = ("procrastinate_defer_jobs_v1",)


def statements(*, there: bool) -> list[str]:
    """Return what sets the tasks up, `there` where their tables are already; each can be run again."""
    made = []
    if not there:
        from procrastinate.schema import SchemaManager

        made = [
            f"CREATE SCHEMA IF NOT EXISTS {SCHEMA}", f"SET LOCAL search_path = {SCHEMA}",
            SchemaManager.get_schema(), "SET LOCAL search_path TO DEFAULT",
        ]  # fmt: skip
    groups = "PUBLIC, quarry_reader, quarry_editor, quarry_approver"
    made += [
        _TOLD,
        f"REVOKE ALL ON ALL TABLES IN SCHEMA {SCHEMA} FROM {groups}",
        f"REVOKE ALL ON ALL FUNCTIONS IN SCHEMA {SCHEMA} FROM {groups}",
        f"GRANT USAGE ON SCHEMA {SCHEMA} TO quarry_reader",
        f"GRANT USAGE ON ALL SEQUENCES IN SCHEMA {SCHEMA} TO quarry_reader",
    ]
    made += [f"GRANT {what} ON {SCHEMA}.{name} TO {group}" for name, group, what in GRANTED]
    for functions, group in ((TAKING, "quarry_reader"), (ADDING, "quarry_editor")):
        made += [f"GRANT EXECUTE ON FUNCTION {SCHEMA}.{function} TO {group}" for function in functions]
    return made
