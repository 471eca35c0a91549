"""The functions and triggers by which the server holds its rows together, as SQL.

All of them run as the owner of the tables, and look for names in PostgreSQL's catalogue and the schema first, in
temporary tables last: what somebody makes in a session cannot stand before what is ours. Who writes decides, never how
deep in triggers. Numbers are given out one by one under the lock of the template's row, which only who may write can
take.
"""

from __future__ import annotations

from idle_quarry.path.entries import KINDS

#: Counted up when any of this changes, so that setting up again can say that it mended something.
RIGHTS_VERSION = 5

_HEAD = "LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public, pg_temp AS $$"
_TRIGGER = f"RETURNS trigger {_HEAD}"
#: Whoever owns the tables fills them from another library, whose own guards held what is carried.
_KEEPER = "pg_has_role(session_user, (SELECT c.relowner FROM pg_catalog.pg_class c WHERE c.oid = TG_RELID), 'MEMBER')"
_TIME = r"'^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d'"
_KINDS = ", ".join(f"'{kind}'" for kind in ("template", *KINDS))
_MOST_BODY, _MOST_SUMMARY, _MOST_NOTE = 4_000_000, 400_000, 40_000


def _refuse(what: str, *values: str, code: str = "check_violation") -> str:
    text = "".join(f", {value}" for value in values)
    return f"RAISE EXCEPTION '{what}'{text} USING ERRCODE = '{code}';"


_HOLD = f"""
CREATE OR REPLACE FUNCTION public.quarry_hold(wanted text) RETURNS void {_HEAD}
BEGIN
    PERFORM 1 FROM public.template t WHERE t.id = wanted
        AND (t.shelf = 'house' OR t.owner = session_user) FOR UPDATE;
END $$
"""

_TEMPLATE = rf"""
CREATE OR REPLACE FUNCTION public.quarry_template() {_TRIGGER}
BEGIN
    IF NEW.id !~ '^[0-9A-Za-z._-]+$' OR btrim(NEW.name) = '' OR NEW.name ~ '[[:cntrl:]]' OR NEW.created !~ {_TIME}
        OR NEW.aside !~ {_TIME} THEN
        {_refuse("a template without a proper id, name or time")}
    END IF;
    -- the letters that every collation makes small alike; a name must not be found under another
    IF NEW.kind NOT IN ({_KINDS}) THEN
        {_refuse("a row of a kind that is not known")}
    END IF;
    IF NEW.aside IS NULL AND regexp_replace(
            CASE WHEN NEW.kind = 'template' THEN lower(NEW.name) ELSE NEW.kind || '/' || lower(NEW.name) END,
                '[^ -~]', '', 'g')
        <> regexp_replace(NEW.name_key, '[^ -~]', '', 'g') THEN
        {_refuse("a template whose key is not its name")}
    END IF;
    RETURN NEW;
END $$
"""

_BEGUN = f"""
CREATE OR REPLACE FUNCTION public.quarry_begun() {_TRIGGER}
BEGIN
    IF NOT EXISTS (SELECT 1 FROM public.revision r WHERE r.template_id = NEW.id) THEN
        {_refuse("a template without a revision")}
    END IF;
    RETURN NULL;
END $$
"""

_REVISION = rf"""
CREATE OR REPLACE FUNCTION public.quarry_revision() {_TRIGGER}
DECLARE
    last integer; made jsonb; told jsonb; of text;
BEGIN
    SELECT t.kind INTO of FROM public.template t WHERE t.id = NEW.template_id FOR UPDATE;
    SELECT COALESCE(max(r.number), 0) INTO last FROM public.revision r WHERE r.template_id = NEW.template_id;
    IF NEW.number <> last + 1 THEN
        {_refuse("revision % of a template that has %: numbers are consecutive", "NEW.number", "last")}
    END IF;
    IF octet_length(NEW.body) > {_MOST_BODY} OR octet_length(NEW.summary) > {_MOST_SUMMARY}
        OR octet_length(NEW.note) > {_MOST_NOTE} THEN
        {_refuse("a revision larger than any template")}
    END IF;
    IF encode(sha256(convert_to(NEW.body, 'UTF8')), 'hex') <> NEW.hash THEN
        {_refuse("the text of a revision does not match its hash; a newer Idle Quarry writes it so that it does")}
    END IF;
    BEGIN
        made := NEW.body::jsonb; told := NEW.summary::jsonb;
    EXCEPTION WHEN OTHERS THEN
        {_refuse("a revision that is no JSON")}
    END;
    -- an entry says of itself what it is; a template has no such word
    IF jsonb_typeof(made) IS DISTINCT FROM 'object' OR COALESCE(made ->> 'name', '') = ''
        OR jsonb_typeof(told) IS DISTINCT FROM 'object'
        OR told -> 'deliveries' IS DISTINCT FROM (CASE WHEN of = 'template'
            THEN jsonb_path_query_array(made, 'lax $.deliveries[*].name') ELSE '[]'::jsonb END)
        OR jsonb_path_exists(told, 'lax $.deliveries[*] ? (@.type() != "string")')
        OR told ->> 'territory' IS DISTINCT FROM (CASE WHEN of = 'template' THEN made ->> 'territory' ELSE '' END)
        OR made ->> 'entry' IS DISTINCT FROM NULLIF(of, 'template')
        OR (of <> 'template' AND made ->> 'uid' IS DISTINCT FROM NEW.template_id)
        OR jsonb_typeof(told -> 'working') IS DISTINCT FROM 'string' OR length(told ->> 'working') > 120
        OR jsonb_typeof(told -> 'text') IS DISTINCT FROM 'string'
        OR jsonb_typeof(told -> 'lines') IS DISTINCT FROM 'number' OR told ->> 'lines' !~ '^[0-9]{{1,5}}$' THEN
        {_refuse("a revision whose summary is not that of its template")}
    END IF;
    IF NEW.time !~ {_TIME} OR NEW.changed < 0 OR NEW.parent NOT BETWEEN 1 AND last OR NEW.merged NOT BETWEEN 1 AND last
        OR (NEW.parent IS NULL AND last > 0) THEN
        {_refuse("a revision without a proper time, or made of what is not there")}
    END IF;
    RETURN NEW;
END $$
"""

#: An approval is by another than the authors, whatever program asks for it.
_GUARD = f"""
CREATE OR REPLACE FUNCTION public.quarry_guard() {_TRIGGER}
DECLARE
    last integer; was text; wrote boolean; alone boolean; approver boolean; house boolean;
BEGIN
    PERFORM 1 FROM public.template t WHERE t.id = NEW.template_id FOR UPDATE;
    SELECT COALESCE(max(v.n), 0) INTO last FROM public.review v WHERE v.template_id = NEW.template_id;
    IF NEW.n <> last + 1 THEN
        {_refuse("remark % of a template that has %: numbers are consecutive", "NEW.n", "last")}
    END IF;
    IF NEW.time !~ {_TIME} OR octet_length(NEW.note) > {_MOST_NOTE} THEN
        {_refuse("a remark without a proper time, or too long")}
    END IF;
    IF {_KEEPER} THEN RETURN NEW; END IF;
    SELECT s.state INTO was FROM public.standing s WHERE s.template_id = NEW.template_id AND s.number = NEW.number;
    SELECT t.shelf = 'house' INTO house FROM public.template t WHERE t.id = NEW.template_id;
    -- authorship follows what a revision was made of, back to what was approved
    WITH RECURSIVE made(number) AS (
        SELECT NEW.number
        UNION
        SELECT x.number FROM made m
            JOIN public.revision r ON r.template_id = NEW.template_id AND r.number = m.number
            CROSS JOIN LATERAL (VALUES (r.parent), (r.merged)) AS x(number)
            WHERE x.number IS NOT NULL AND NOT EXISTS (
                SELECT 1 FROM public.review v
                WHERE v.template_id = NEW.template_id AND v.number = x.number AND v.act = 'approve')
    )
    SELECT bool_or(r.author = session_user) INTO wrote FROM made m
        JOIN public.revision r ON r.template_id = NEW.template_id AND r.number = m.number;
    alone := EXISTS (SELECT 1 FROM public.setting WHERE key = 'approval' AND value = 'one person');
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
END $$
"""

_SETTING = f"""
CREATE OR REPLACE FUNCTION public.quarry_setting() {_TRIGGER}
BEGIN
    IF NOT {_KEEPER} AND (split_part(NEW.key, '/', 1) NOT IN ('approval', 'default_template')
        OR NEW.key ~ '/.*/' OR NEW.key LIKE 'approval/%' OR length(NEW.value) > 200) THEN
        {_refuse("no setting of a library")}
    END IF;
    RETURN NEW;
END $$
"""

_JOB = f"""
CREATE OR REPLACE FUNCTION public.quarry_job() {_TRIGGER}
BEGIN
    IF NEW.id !~ '^[0-9A-Za-z._-]+$' OR NEW.time !~ {_TIME} OR NEW.revision < 1 OR btrim(NEW.title) = ''
        OR length(NEW.folder) > 4096 THEN
        {_refuse("a job without a proper id, title, time or folder")}
    END IF;
    RETURN NEW;
END $$
"""

_HANDOVER = f"""
CREATE OR REPLACE FUNCTION public.quarry_handover() {_TRIGGER}
BEGIN
    IF NEW.id !~ '^[0-9A-Za-z._-]+$' OR NEW.time !~ {_TIME} OR NEW.revision < 1 OR NEW.sha256 !~ '^[0-9a-f]{{64}}$'
        OR NEW.hash !~ '^[0-9a-f]{{64}}$' OR NEW.verdict NOT IN ('passes', 'accepted') OR btrim(NEW.file) = '' THEN
        {_refuse("a hand-over without a proper id, file, hash, time or verdict")}
    END IF;
    RETURN NEW;
END $$
"""

_AUDIT = f"""
CREATE OR REPLACE FUNCTION public.quarry_audit() {_TRIGGER}
DECLARE
    row_data jsonb := to_jsonb(COALESCE(NEW, OLD)) - 'body' - 'summary';
BEGIN
    INSERT INTO public.audit (act, tab, row_key, what) VALUES (
        TG_OP, TG_TABLE_NAME, COALESCE(row_data ->> 'template_id', row_data ->> 'id', row_data ->> 'key', ''), row_data
    );
    PERFORM pg_notify('quarry', TG_TABLE_NAME || ' ' ||
        COALESCE(row_data ->> 'template_id', row_data ->> 'id', row_data ->> 'key', ''));
    RETURN NULL;
END $$
"""

#: In the order they are made. The first three came with the tables; here their way of looking for names is set.
FUNCTIONS = {
    "quarry_heads": "ALTER FUNCTION public.quarry_heads() SET search_path = pg_catalog, public, pg_temp",
    "quarry_never": "ALTER FUNCTION public.quarry_never() SET search_path = pg_catalog, public, pg_temp",
    "quarry_shelved": "ALTER FUNCTION public.quarry_shelved() SET search_path = pg_catalog, public, pg_temp",
    "quarry_hold": _HOLD,
    "quarry_template": _TEMPLATE,
    "quarry_begun": _BEGUN,
    "quarry_revision": _REVISION,
    "quarry_guard": _GUARD,
    "quarry_setting": _SETTING,
    "quarry_job": _JOB,
    "quarry_handover": _HANDOVER,
    "quarry_audit": _AUDIT,
}


def _before(table: str, function: str, what: str = "INSERT OR UPDATE") -> tuple[str, str, str]:
    name = f"{table}_guard"
    return (
        table,
        name,
        (
            f"CREATE OR REPLACE TRIGGER {name} BEFORE {what} ON public.{table} "
            f"FOR EACH ROW EXECUTE FUNCTION public.{function}()"
        ),
    )


def _audited(table: str) -> tuple[str, str, str]:
    name = f"{table}_audit"
    return (
        table,
        name,
        (
            f"CREATE OR REPLACE TRIGGER {name} AFTER INSERT OR UPDATE OR DELETE ON public.{table} "
            "FOR EACH ROW EXECUTE FUNCTION public.quarry_audit()"
        ),
    )


#: Table, trigger, statement.
TRIGGERS: tuple[tuple[str, str, str], ...] = (
    _before("template", "quarry_template"),
    _before("revision", "quarry_revision", "INSERT"),
    _before("review", "quarry_guard", "INSERT"),
    _before("setting", "quarry_setting"),
    _before("job", "quarry_job"),
    _before("handover", "quarry_handover", "INSERT"),
    (
        "template",
        "template_begun",
        (
            "DO $$ BEGIN IF NOT EXISTS (SELECT 1 FROM pg_catalog.pg_trigger WHERE tgname = 'template_begun' "
            "AND tgrelid = 'public.template'::regclass) THEN "
            "CREATE CONSTRAINT TRIGGER template_begun AFTER INSERT ON public.template DEFERRABLE INITIALLY DEFERRED "
            "FOR EACH ROW EXECUTE FUNCTION public.quarry_begun(); END IF; END $$"
        ),
    ),
    *(_audited(table) for table in ("template", "revision", "review", "setting", "job", "handover")),
)
