"""What rooms do for one another, on the server: tasks in procrastinate's own tables and functions, in a schema of
their own.

Editors add tasks, anyone's machine takes them. Nobody but their owner touches the tables: a machine takes a task, says
how far it is, ends it and gives it back through functions that hold it to be the one that has it now. What it says and
that it ends are one act.
"""

from __future__ import annotations

#: The schema in the database; `search_path` finds procrastinate's names in it.
SCHEMA = "quarry_tasks"
#: Whether it is there, and whether it has the functions that this version calls.
IS_THERE = f"SELECT to_regclass('{SCHEMA}.procrastinate_jobs') IS NOT NULL"
IS_GUARDED = f"SELECT to_regproc('{SCHEMA}.quarry_end') IS NOT NULL"
#: A machine that has not been heard of for so many seconds is dead; it says a word every few.
SILENT_S = 25.0
#: Characters of what is said, bytes of what came of a task, and of what it is to do.
MOST_TEXT, MOST_RESULT, MOST_TASK = 2000, 2_000_000, 400_000

_HEAD = f"LANGUAGE plpgsql SECURITY DEFINER SET search_path = {SCHEMA}, pg_catalog, pg_temp AS $$"
_KEEPER = "pg_has_role(session_user, (SELECT c.relowner FROM pg_catalog.pg_class c WHERE c.oid = TG_RELID), 'MEMBER')"
_STALLED = f"last_heartbeat < now() - make_interval(secs => {SILENT_S})"

#: What is told of a task: by which machine and person it is done, how many of its frames are, what kept it, seconds
#: that frames took, and what came of it. And whose each worker is: the person who registered it.
_TABLES = f"""
CREATE TABLE IF NOT EXISTS {SCHEMA}.told (
    job bigint PRIMARY KEY REFERENCES {SCHEMA}.procrastinate_jobs(id) ON DELETE CASCADE,
    machine text NOT NULL, person text NOT NULL DEFAULT session_user, done integer NOT NULL DEFAULT 0,
    text text NOT NULL DEFAULT '', seconds real NOT NULL DEFAULT 0, result jsonb
);
ALTER TABLE {SCHEMA}.told DISABLE ROW LEVEL SECURITY;
DROP POLICY IF EXISTS read ON {SCHEMA}.told;
DROP POLICY IF EXISTS said ON {SCHEMA}.told;
DROP POLICY IF EXISTS said_again ON {SCHEMA}.told;
CREATE TABLE IF NOT EXISTS {SCHEMA}.worker_person (
    worker bigint PRIMARY KEY REFERENCES {SCHEMA}.procrastinate_workers(id) ON DELETE CASCADE,
    person text NOT NULL
);
"""

#: Whose a worker is; and that only who it belongs to, or its death, ends or refreshes it.
_WORKER = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_worker() RETURNS trigger {_HEAD}
BEGIN
    IF TG_OP = 'INSERT' THEN
        INSERT INTO worker_person (worker, person) VALUES (NEW.id, session_user);
        RETURN NULL;
    END IF;
    IF {_KEEPER} OR EXISTS (SELECT 1 FROM worker_person p WHERE p.worker = OLD.id AND p.person = session_user)
        OR (TG_OP = 'DELETE' AND OLD.{_STALLED}) THEN
        IF TG_OP = 'DELETE' THEN RETURN OLD; END IF;
        NEW.last_heartbeat := now();
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'permission denied: that worker is another person''s' USING ERRCODE = 'insufficient_privilege';
END $$
"""

#: A task is never another; an added one waits, is small and says nothing that only a machine may say.
_TASK = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_task() RETURNS trigger {_HEAD}
BEGIN
    IF {_KEEPER} THEN RETURN NEW; END IF;
    IF TG_OP = 'INSERT' THEN
        IF NEW.status <> 'todo' OR NEW.worker_id IS NOT NULL OR NEW.abort_requested OR NEW.attempts <> 0
            OR octet_length(NEW.args::text) > {MOST_TASK} OR length(NEW.lock) > 200 OR length(NEW.queueing_lock) > 200
            OR NEW.priority NOT BETWEEN 0 AND 1000000 THEN
            RAISE EXCEPTION 'no task that can be added' USING ERRCODE = 'check_violation';
        END IF;
        RETURN NEW;
    END IF;
    IF ROW(NEW.id, NEW.queue_name, NEW.task_name, NEW.lock, NEW.queueing_lock, NEW.args)
        IS DISTINCT FROM ROW(OLD.id, OLD.queue_name, OLD.task_name, OLD.lock, OLD.queueing_lock, OLD.args) THEN
        RAISE EXCEPTION 'permission denied: a task is never another' USING ERRCODE = 'insufficient_privilege';
    END IF;
    RETURN NEW;
END $$
"""

_TAKE = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_take(queues character varying[], worker bigint)
    RETURNS {SCHEMA}.procrastinate_jobs {_HEAD}
BEGIN
    IF NOT EXISTS (SELECT 1 FROM worker_person p WHERE p.worker = quarry_take.worker AND p.person = session_user) THEN
        RAISE EXCEPTION 'permission denied: that worker is another person''s' USING ERRCODE = 'insufficient_privilege';
    END IF;
    RETURN procrastinate_fetch_job_v2(queues, worker);
END $$
"""

#: Whether a task is a worker's now, and that worker the caller's; then its row is held until the act ends.
_MINE = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_mine(task bigint, worker bigint) RETURNS {SCHEMA}.procrastinate_jobs {_HEAD}
DECLARE
    found procrastinate_jobs;
BEGIN
    SELECT j.* INTO found FROM procrastinate_jobs j JOIN worker_person p ON p.worker = j.worker_id
        WHERE j.id = task AND j.worker_id = quarry_mine.worker AND j.status = 'doing' AND p.person = session_user
        FOR UPDATE OF j;
    RETURN found;
END $$
"""

#: Says how far a task is; returns whether it is paused, nothing where it is not the caller's any more or is to be
#: stopped.
_TELL = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_tell(task bigint, worker bigint, machine text, done integer, said text)
    RETURNS boolean {_HEAD}
DECLARE
    mine procrastinate_jobs := quarry_mine(task, worker);
BEGIN
    IF mine.id IS NULL OR mine.abort_requested THEN RETURN NULL; END IF;
    INSERT INTO told AS t (job, machine, person, done, text) VALUES (
        task, left(quarry_tell.machine, 200), session_user, greatest(0, quarry_tell.done), left(said, {MOST_TEXT})
    ) ON CONFLICT (job) DO UPDATE SET machine = excluded.machine, person = excluded.person, done = excluded.done,
        text = excluded.text;
    RETURN coalesce(mine.scheduled_at > now() + interval '100 years', false);
END $$
"""

#: Says what came of a task and ends it; returns whether it was still the caller's to end.
_END = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_end(
    task bigint, worker bigint, machine text, ended text, done integer, said text, seconds double precision, result
        jsonb
) RETURNS boolean {_HEAD}
DECLARE
    mine procrastinate_jobs := quarry_mine(task, worker);
BEGIN
    IF mine.id IS NULL OR (mine.abort_requested AND ended = 'succeeded') THEN RETURN false; END IF;
    IF octet_length(result::text) > {MOST_RESULT} OR ended NOT IN ('succeeded', 'failed', 'aborted') THEN
        RAISE EXCEPTION 'what came of a task is larger than anything that comes of one'
            USING ERRCODE = 'check_violation';
    END IF;
    INSERT INTO told AS t (job, machine, person, done, text, seconds, result) VALUES (
        task, left(quarry_end.machine, 200), session_user, greatest(0, quarry_end.done), left(said, {MOST_TEXT}),
        greatest(0, quarry_end.seconds), quarry_end.result
    ) ON CONFLICT (job) DO UPDATE SET machine = excluded.machine, person = excluded.person, done = excluded.done,
        text = CASE WHEN excluded.text = '' THEN t.text ELSE excluded.text END, seconds = excluded.seconds, result =
            excluded.result;
    PERFORM procrastinate_finish_job_v1(task, ended::procrastinate_job_status, false);
    RETURN true;
END $$
"""

_GIVE_BACK = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_give_back(task bigint, worker bigint) RETURNS boolean {_HEAD}
DECLARE
    mine procrastinate_jobs := quarry_mine(task, worker);
BEGIN
    IF mine.id IS NULL THEN RETURN false; END IF;
    PERFORM procrastinate_retry_job_v2(task, greatest(mine.scheduled_at, now()), NULL, NULL, NULL);
    RETURN true;
END $$
"""

#: Has what dead machines had begun be anybody's again; how long one must be silent for that the server says.
_STALLED_BACK = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.quarry_give_back_stalled() RETURNS void {_HEAD}
BEGIN
    PERFORM procrastinate_retry_job_v2(j.id, greatest(j.scheduled_at, now()), NULL, NULL, NULL) FROM
        procrastinate_jobs j
        LEFT JOIN procrastinate_workers w ON w.id = j.worker_id WHERE j.status = 'doing' AND (w.id IS NULL OR
            w.{_STALLED});
    DELETE FROM procrastinate_workers w WHERE w.{_STALLED};
END $$
"""

#: The schema's own forgets workers that were silent for as long as the caller says: here, as long as the server does.
_PRUNE = f"""
CREATE OR REPLACE FUNCTION {SCHEMA}.procrastinate_prune_stalled_workers_v1(seconds_since_heartbeat float)
    RETURNS TABLE(worker_id bigint) {_HEAD}
BEGIN
    RETURN QUERY DELETE FROM procrastinate_workers w WHERE w.last_heartbeat
        < now() - make_interval(secs => greatest({SILENT_S}, seconds_since_heartbeat)) RETURNING w.id;
END $$
"""

_TRIGGERS = f"""
CREATE OR REPLACE TRIGGER quarry_worker_kept AFTER INSERT ON {SCHEMA}.procrastinate_workers
    FOR EACH ROW EXECUTE FUNCTION {SCHEMA}.quarry_worker();
CREATE OR REPLACE TRIGGER quarry_worker_guard BEFORE UPDATE OR DELETE ON {SCHEMA}.procrastinate_workers
    FOR EACH ROW EXECUTE FUNCTION {SCHEMA}.quarry_worker();
CREATE OR REPLACE TRIGGER quarry_task_guard BEFORE INSERT OR UPDATE ON {SCHEMA}.procrastinate_jobs
    FOR EACH ROW EXECUTE FUNCTION {SCHEMA}.quarry_task();
"""

#: Large objects are nobody's here; who sets up may not be able to say so of PostgreSQL's own functions.
_NO_LARGE_OBJECTS = """
DO $$ DECLARE made record; BEGIN
    FOR made IN SELECT p.oid::regprocedure AS name FROM pg_catalog.pg_proc p
        WHERE p.pronamespace = 'pg_catalog'::regnamespace AND p.proname IN ('lo_create', 'lo_creat', 'lo_from_bytea',
            'lo_put', 'lowrite')
    LOOP
        EXECUTE format('REVOKE EXECUTE ON FUNCTION %s FROM PUBLIC', made.name);
    END LOOP;
EXCEPTION WHEN insufficient_privilege THEN NULL;
END $$
"""

#: Table, group, what it may; an editor may what a reader may.
GRANTED: tuple[tuple[str, str, str], ...] = (
    ("procrastinate_jobs", "quarry_reader", "SELECT"),
    ("procrastinate_workers", "quarry_reader", "SELECT"),
    ("procrastinate_events", "quarry_reader", "SELECT"),
    ("told", "quarry_reader", "SELECT"),
    ("procrastinate_jobs", "quarry_editor", "INSERT"),
    # who adds tasks has them wait
    ("procrastinate_jobs", "quarry_editor", "UPDATE (scheduled_at)"),
    # what ended long ago is cleared away by whoever adds more
    ("procrastinate_jobs", "quarry_editor", "DELETE"),
)
#: Functions that whoever takes tasks calls, and those that whoever adds them does.
TAKING = (
    "quarry_take",
    "quarry_tell",
    "quarry_end",
    "quarry_give_back",
    "quarry_give_back_stalled",
    "procrastinate_register_worker_v1",
    "procrastinate_unregister_worker_v1",
    "procrastinate_update_heartbeat_v1",
    "procrastinate_prune_stalled_workers_v1",
)
ADDING = ("procrastinate_defer_jobs_v1", "procrastinate_cancel_job_v1")
#: Procrastinate's own that run as their owner now: who calls them has no right to the tables. `defer` stays the
#: caller's.
_AS_OWNER = (
    "procrastinate_register_worker_v1()",
    "procrastinate_unregister_worker_v1(bigint)",
    "procrastinate_update_heartbeat_v1(bigint)",
    "procrastinate_cancel_job_v1(bigint, boolean, boolean)",
    "procrastinate_trigger_function_status_events_insert_v1()",
    "procrastinate_trigger_function_status_events_update_v1()",
    "procrastinate_trigger_function_scheduled_events_v1()",
    "procrastinate_trigger_abort_requested_events_procedure_v1()",
    "procrastinate_unlink_periodic_defers_v1()",
)
#: Functions that run as their owner, by name.
AS_OWNER = frozenset(
    [name.split("(")[0] for name in _AS_OWNER]
    + [
        "quarry_worker",
        "quarry_task",
        "quarry_mine",
        *(name for name in TAKING if name.startswith("quarry_")),
        TAKING[-1],
    ]
)


def statements(*, there: bool) -> list[str]:
    """Return what sets the tasks up, `there` where their tables are already; each can be run again."""
    results = []
    if not there:
        from procrastinate.schema import SchemaManager

        results = [
            f"CREATE SCHEMA IF NOT EXISTS {SCHEMA}",
            f"SET LOCAL search_path = {SCHEMA}",
            SchemaManager.get_schema(),
            "SET LOCAL search_path TO DEFAULT",
        ]
    groups = "PUBLIC, quarry_reader, quarry_editor, quarry_approver"
    results += [
        _TABLES,
        _WORKER,
        _TASK,
        _TAKE,
        _MINE,
        _TELL,
        _END,
        _GIVE_BACK,
        _STALLED_BACK,
        _PRUNE,
        _TRIGGERS,
        _NO_LARGE_OBJECTS,
    ]
    results += [
        f"ALTER FUNCTION {SCHEMA}.{name} SECURITY DEFINER SET search_path = {SCHEMA}, pg_catalog, pg_temp"
        for name in _AS_OWNER
    ]
    results += [
        f"REVOKE ALL ON ALL TABLES IN SCHEMA {SCHEMA} FROM {groups}",
        f"REVOKE ALL ON ALL SEQUENCES IN SCHEMA {SCHEMA} FROM {groups}",
        f"REVOKE ALL ON ALL FUNCTIONS IN SCHEMA {SCHEMA} FROM {groups}",
        f"GRANT USAGE ON SCHEMA {SCHEMA} TO quarry_reader",
        f"GRANT USAGE ON SEQUENCE {SCHEMA}.procrastinate_jobs_id_seq TO quarry_editor",
    ]
    results += [f"GRANT {what} ON {SCHEMA}.{name} TO {group}" for name, group, what in GRANTED]
    for functions, group in ((TAKING, "quarry_reader"), (ADDING, "quarry_editor")):
        results += [f"GRANT EXECUTE ON FUNCTION {SCHEMA}.{function} TO {group}" for function in functions]
    return results
