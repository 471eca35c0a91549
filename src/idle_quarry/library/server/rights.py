"""What the server itself holds, whatever program asks: who may do what, and a record of what was done.

Every right is stated here; a test compares the statement with the server's own catalogue, so that nothing is there
without one. Policies and triggers name `session_user`, which a person cannot change, and not `current_user`, which SET
ROLE does.
"""

from __future__ import annotations

from idle_quarry.library.server.guards import FUNCTIONS, RIGHTS_VERSION, TRIGGERS

GROUPS = """
DO $$ BEGIN
    IF NOT EXISTS (SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = 'quarry_reader') THEN CREATE ROLE quarry_reader
        NOLOGIN; END IF;
    IF NOT EXISTS (SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = 'quarry_editor') THEN CREATE ROLE quarry_editor
        NOLOGIN; END IF;
    IF NOT EXISTS (SELECT 1 FROM pg_catalog.pg_roles WHERE rolname = 'quarry_approver') THEN CREATE ROLE
        quarry_approver NOLOGIN; END IF;
END $$;
GRANT quarry_reader TO quarry_editor;
GRANT quarry_editor TO quarry_approver;
"""

#: Table or view, group, what it may: an editor may what a reader may, an approver what an editor may.
GRANTED: tuple[tuple[str, str, str], ...] = (
    *(
        (name, "quarry_reader", "SELECT")
        for name in (
            "template",
            "revision",
            "review",
            "head",
            "setting",
            "job",
            "handover",
            "standing",
            "alembic_version",
        )
    ),
    ("job", "quarry_reader", "INSERT"),
    ("job", "quarry_reader", "UPDATE (revision, hash, template_name)"),
    ("handover", "quarry_reader", "INSERT"),
    ("setting", "quarry_reader", "INSERT"),
    ("setting", "quarry_reader", "DELETE"),
    ("template", "quarry_editor", "INSERT"),
    ("template", "quarry_editor", "UPDATE (name, name_key, aside)"),
    ("revision", "quarry_editor", "INSERT"),
    ("review", "quarry_editor", "INSERT"),
    ("audit", "quarry_approver", "SELECT"),
)
#: Functions and who may call them. Those of triggers are called by nobody: the right to call one would let it be hung
#: on another table, where it would write what that table says.
CALLED: dict[str, str | None] = {**dict.fromkeys(FUNCTIONS), "quarry_hold": "quarry_editor"}

_APPROVER = "pg_catalog.pg_has_role(session_user, 'quarry_approver', 'MEMBER')"
_EDITOR = "pg_catalog.pg_has_role(session_user, 'quarry_editor', 'MEMBER')"
_SEEN = "EXISTS (SELECT 1 FROM public.template t WHERE t.id = {table}.template_id)"

#: Table, name, command, which rows, which new rows.
POLICIES: tuple[tuple[str, str, str, str | None, str | None], ...] = (
    ("template", "seen", "SELECT", "shelf = 'house' OR owner = session_user", None),
    (
        "template",
        "made",
        "INSERT",
        None,
        "(shelf = 'house' AND owner = '') OR (shelf = 'own' AND owner = session_user)",
    ),
    # what is approved keeps its name and its place until an approver decides otherwise
    (
        "template",
        "renamed",
        "UPDATE",
        (
            f"owner = session_user OR (shelf = 'house' AND ({_APPROVER} OR NOT EXISTS "
            "(SELECT 1 FROM public.head h WHERE h.template_id = template.id AND h.approved IS NOT NULL)))"
        ),
        None,
    ),
    ("revision", "seen", "SELECT", _SEEN.format(table="revision"), None),
    (
        "revision",
        "saved",
        "INSERT",
        None,
        f"author = session_user AND state = 'draft' AND {_SEEN.format(table='revision')}",
    ),
    ("review", "seen", "SELECT", _SEEN.format(table="review"), None),
    ("review", "said", "INSERT", None, f"person = session_user AND {_SEEN.format(table='review')}"),
    ("head", "seen", "SELECT", _SEEN.format(table="head"), None),
    ("setting", "seen", "SELECT", "position('/' in key) = 0 OR split_part(key, '/', 2) = session_user", None),
    (
        "setting",
        "made",
        "INSERT",
        None,
        f"split_part(key, '/', 2) = session_user OR (position('/' in key) = 0 AND {_APPROVER})",
    ),
    (
        "setting",
        "gone",
        "DELETE",
        f"split_part(key, '/', 2) = session_user OR (position('/' in key) = 0 AND {_APPROVER})",
        None,
    ),
    ("job", "seen", "SELECT", "true", None),
    ("job", "started", "INSERT", None, "author = session_user"),
    ("handover", "seen", "SELECT", _SEEN.format(table="handover"), None),
    ("handover", "verified", "INSERT", None, f"author = session_user AND {_SEEN.format(table='handover')}"),
    ("job", "moved", "UPDATE", f"author = session_user OR {_EDITOR}", None),
)

AUDIT_TABLE = """
CREATE TABLE IF NOT EXISTS public.audit (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, time timestamptz NOT NULL DEFAULT now(),
    person text NOT NULL DEFAULT session_user, act text NOT NULL, tab text NOT NULL, row_key text NOT NULL, what
        jsonb NOT NULL
)
"""

#: Nobody makes anything in the database but who keeps it: what is made there can stand before what is ours.
CLOSED = """
DO $$ BEGIN EXECUTE format('REVOKE TEMPORARY, CREATE ON DATABASE %I FROM PUBLIC', current_database()); END $$;
REVOKE CREATE ON SCHEMA public FROM PUBLIC;
"""


def statements() -> list[tuple[str, list[str]]]:
    """Return what is done, step by step: what a person is told of it, and the statements; each can be run again."""
    objects = sorted({name for name, *_ in GRANTED})
    grants = [
        f"REVOKE ALL ON public.{name} FROM PUBLIC, quarry_reader, quarry_editor, quarry_approver" for name in objects
    ]
    grants += ["GRANT USAGE ON SCHEMA public TO quarry_reader"]
    grants += [f"GRANT {what} ON public.{name} TO {group}" for name, group, what in GRANTED]
    calls = []
    for function, caller in CALLED.items():
        signature = f"public.{function}({'text' if function == 'quarry_hold' else ''})"
        calls.append(f"REVOKE ALL ON FUNCTION {signature} FROM PUBLIC, quarry_reader, quarry_editor, quarry_approver")
        if caller is not None:
            calls.append(f"GRANT EXECUTE ON FUNCTION {signature} TO {caller}")
    policies = []
    for table, name, command, using, check in POLICIES:
        policies.append(f"DROP POLICY IF EXISTS {name} ON public.{table}")
        parts = (f" USING ({using})" if using else "") + (f" WITH CHECK ({check})" if check else "")
        policies.append(f"CREATE POLICY {name} ON public.{table} FOR {command} TO quarry_reader{parts}")
    tables = sorted({table for table, *_ in POLICIES})
    enabled = [f"ALTER TABLE public.{table} ENABLE ROW LEVEL SECURITY" for table in tables]
    mark = f"COMMENT ON FUNCTION public.quarry_guard() IS 'idle-quarry rights {RIGHTS_VERSION}'"
    audited = ", ".join(table for table, name, _ in TRIGGERS if name.endswith("_audit"))
    hung = [statement for _, _, statement in TRIGGERS]
    return [
        ("groups of people: quarry_reader, quarry_editor, quarry_approver", [GROUPS]),
        ("the database closed: only who keeps it makes anything in it", [CLOSED]),
        (
            f"guards over every row, and an audit of every change of {audited}, with word of it to the rooms",
            [AUDIT_TABLE, *FUNCTIONS.values(), *hung, mark],
        ),
        ("grants: who may read, save and approve", [*grants, *calls]),
        (f"row rules on {', '.join(tables)}: an own shelf is its owner's", [*enabled, *policies]),
    ]
