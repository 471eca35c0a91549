"""What the server itself holds, whatever program asks: who may do what, and a record of what was done.

Policies and triggers name `session_user`, which a person cannot change, and not `current_user`, which SET ROLE does.
"""

from __future__ import annotations

GROUPS = """
DO $$ BEGIN
    IF NOT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = 'quarry_reader') THEN CREATE ROLE quarry_reader NOLOGIN; END IF;
    IF NOT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = 'quarry_editor') THEN CREATE ROLE quarry_editor NOLOGIN; END IF;
    IF NOT EXISTS (SELECT 1 FROM pg_roles WHERE rolname = 'quarry_approver') THEN CREATE ROLE quarry_approver NOLOGIN; END IF;
END $$;
GRANT quarry_reader TO quarry_editor;
GRANT quarry_editor TO quarry_approver;
"""

GRANTS = """
REVOKE ALL ON template, revision, review, head, setting, job, standing, alembic_version FROM PUBLIC;
GRANT USAGE ON SCHEMA public TO quarry_reader;
GRANT SELECT ON template, revision, review, head, setting, job, standing, alembic_version TO quarry_reader;
GRANT INSERT ON job TO quarry_reader;
GRANT UPDATE (revision, hash, template_name) ON job TO quarry_reader;
GRANT INSERT, DELETE ON setting TO quarry_reader;
GRANT INSERT ON template, revision, review TO quarry_editor;
GRANT UPDATE (name, name_key, aside) ON template TO quarry_editor;
"""

_APPROVER = "pg_has_role(session_user, 'quarry_approver', 'MEMBER')"
_EDITOR = "pg_has_role(session_user, 'quarry_editor', 'MEMBER')"
_SEEN = "EXISTS (SELECT 1 FROM template t WHERE t.id = {table}.template_id)"

#: Table, name, command, which rows, which new rows.
POLICIES: tuple[tuple[str, str, str, str | None, str | None], ...] = (
    ("template", "seen", "SELECT", "shelf = 'house' OR owner = session_user", None),
    ("template", "made", "INSERT", None,
     "(shelf = 'house' AND owner = '') OR (shelf = 'own' AND owner = session_user)"),
    # what is approved keeps its name and its place until an approver decides otherwise
    ("template", "renamed", "UPDATE",
     f"owner = session_user OR (shelf = 'house' AND ({_APPROVER} OR NOT EXISTS "
     "(SELECT 1 FROM head h WHERE h.template_id = template.id AND h.approved IS NOT NULL)))", None),
    ("revision", "seen", "SELECT", _SEEN.format(table="revision"), None),
    ("revision", "saved", "INSERT", None,
     f"author = session_user AND state = 'draft' AND {_SEEN.format(table='revision')}"),
    ("review", "seen", "SELECT", _SEEN.format(table="review"), None),
    ("review", "said", "INSERT", None, f"person = session_user AND {_SEEN.format(table='review')}"),
    ("head", "seen", "SELECT", _SEEN.format(table="head"), None),
    ("setting", "seen", "SELECT", "position('/' in key) = 0 OR split_part(key, '/', 2) = session_user", None),
    ("setting", "made", "INSERT", None, f"split_part(key, '/', 2) = session_user OR (position('/' in key) = 0 AND {_APPROVER})"),
    ("setting", "gone", "DELETE", f"split_part(key, '/', 2) = session_user OR (position('/' in key) = 0 AND {_APPROVER})", None),
    ("job", "seen", "SELECT", "true", None),
    ("job", "started", "INSERT", None, "author = session_user"),
    ("job", "moved", "UPDATE", f"author = session_user OR {_EDITOR}", None),
)  # fmt: skip

#: An approval is by another than the author, whatever program asks for it.
GUARD = """
CREATE OR REPLACE FUNCTION quarry_guard() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = public AS $$
DECLARE
    was text; wrote boolean; alone boolean; approver boolean; house boolean;
BEGIN
    -- whoever owns the tables fills them from another library: the reviews were held there
    IF pg_has_role(session_user, (SELECT relowner FROM pg_class WHERE oid = 'review'::regclass), 'MEMBER') THEN
        RETURN NEW;
    END IF;
    SELECT s.state INTO was FROM standing s WHERE s.template_id = NEW.template_id AND s.number = NEW.number;
    SELECT t.shelf = 'house' INTO house FROM template t WHERE t.id = NEW.template_id;
    -- authorship follows what a revision was made of, back to what was approved
    WITH RECURSIVE made(number) AS (
        SELECT NEW.number
        UNION
        SELECT x.number FROM made m
            JOIN revision r ON r.template_id = NEW.template_id AND r.number = m.number
            CROSS JOIN LATERAL (VALUES (r.parent), (r.merged)) AS x(number)
            WHERE x.number IS NOT NULL AND NOT EXISTS (
                SELECT 1 FROM review v WHERE v.template_id = NEW.template_id AND v.number = x.number AND v.act = 'approve')
    )
    SELECT bool_or(r.author = session_user) INTO wrote FROM made m
        JOIN revision r ON r.template_id = NEW.template_id AND r.number = m.number;
    alone := EXISTS (SELECT 1 FROM setting WHERE key = 'approval' AND value = 'one person');
    approver := pg_has_role(session_user, 'quarry_approver', 'MEMBER');
    IF NEW.act = 'comment' AND NEW.state = '' THEN RETURN NEW; END IF;
    IF NEW.act = 'propose' AND was = 'draft' AND NEW.state = 'in review' THEN RETURN NEW; END IF;
    IF NEW.act = 'withdraw' AND was IN ('draft', 'in review') AND NEW.state = 'withdrawn' THEN RETURN NEW; END IF;
    IF NEW.act = 'bring back' AND was = 'withdrawn' AND NEW.state = 'draft' THEN RETURN NEW; END IF;
    IF approver AND NEW.act = 'withdraw' AND was = 'approved' AND NEW.state = 'withdrawn' THEN RETURN NEW; END IF;
    IF approver AND NEW.act = 'send back' AND was = 'in review' AND NEW.state = 'draft' THEN RETURN NEW; END IF;
    IF approver AND house AND NEW.act = 'approve' AND NEW.state = 'approved' AND (
        (was = 'in review' AND (alone OR NOT wrote)) OR (was = 'draft' AND alone)
    ) THEN RETURN NEW; END IF;
    RAISE EXCEPTION 'permission denied: % may not % revision %, which is %', session_user, NEW.act, NEW.number, was
        USING ERRCODE = 'insufficient_privilege';
END $$;
CREATE OR REPLACE TRIGGER review_guard BEFORE INSERT ON review FOR EACH ROW
    WHEN (pg_trigger_depth() = 0) EXECUTE FUNCTION quarry_guard();
"""

AUDIT = """
CREATE TABLE IF NOT EXISTS audit (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, time timestamptz NOT NULL DEFAULT now(),
    person text NOT NULL DEFAULT session_user, act text NOT NULL, tab text NOT NULL, row_key text NOT NULL, what jsonb NOT NULL
);
REVOKE ALL ON audit FROM PUBLIC;
GRANT SELECT ON audit TO quarry_approver;
CREATE OR REPLACE FUNCTION quarry_audit() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = public AS $$
DECLARE
    row_data jsonb := to_jsonb(COALESCE(NEW, OLD)) - 'body' - 'summary';
BEGIN
    INSERT INTO audit (act, tab, row_key, what) VALUES (
        TG_OP, TG_TABLE_NAME, COALESCE(row_data ->> 'template_id', row_data ->> 'id', row_data ->> 'key', ''), row_data
    );
    PERFORM pg_notify('quarry', TG_TABLE_NAME || ' ' ||
        COALESCE(row_data ->> 'template_id', row_data ->> 'id', row_data ->> 'key', ''));
    RETURN NULL;
END $$;
"""

AUDITED = ("template", "revision", "review", "setting", "job")


def statements() -> list[tuple[str, list[str]]]:
    """Return what is done, step by step: what a person is told of it, and the statements; each can be run again."""
    policies = []
    for table, name, command, using, check in POLICIES:
        policies.append(f"DROP POLICY IF EXISTS {name} ON {table}")
        parts = (f" USING ({using})" if using else "") + (f" WITH CHECK ({check})" if check else "")
        policies.append(f"CREATE POLICY {name} ON {table} FOR {command} TO quarry_reader{parts}")
    tables = sorted({table for table, *_ in POLICIES})
    enabled = [f"ALTER TABLE {table} ENABLE ROW LEVEL SECURITY" for table in tables]
    audits = [
        f"CREATE OR REPLACE TRIGGER {table}_audit AFTER INSERT OR UPDATE OR DELETE ON {table} "
        "FOR EACH ROW EXECUTE FUNCTION quarry_audit()"
        for table in AUDITED
    ]
    return [
        ("groups of people: quarry_reader, quarry_editor, quarry_approver", [GROUPS]),
        ("grants: who may read, save and approve", [GRANTS]),
        (f"row rules on {', '.join(tables)}: an own shelf is its owner's", [*enabled, *policies]),
        ("a guard over reviews: approval by another than the author", [GUARD]),
        (f"an audit of every change of {', '.join(AUDITED)}, and word of it to the rooms", [AUDIT, *audits]),
    ]
