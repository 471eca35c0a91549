"""The server against raw connections: what each role tries, how the guards are gone round, and every right there is."""

from __future__ import annotations

import hashlib
import json
import threading

import psycopg
import pytest
import sqlalchemy as sa
from tests.conftest import demo_template
from tests.postgres import PrivateServer

from idle_quarry.errors import LibraryError
from idle_quarry.library.records import RevisionFacts
from idle_quarry.library.server import ServerLibrary, open_server
from idle_quarry.library.server.guards import TRIGGERS
from idle_quarry.library.server.rights import CALLED, GRANTED, POLICIES
from idle_quarry.library.server.setup import set_up
from idle_quarry.path.changes.edits import Edit, edited
from idle_quarry.path.template import Template, canonical

HD = demo_template("House HD 50i")
REVIEW = (
    "INSERT INTO review SELECT '{id}', (SELECT max(n) + 1 FROM review WHERE template_id = '{id}'), {number}, '{act}',"
    " '{state}', '', '{person}', '2026-11-20T10:00:00+00:00', '', 'x{act}{number}'"
)
#: A revision as it should be; each attack changes one thing in it.
ROW = {
    "number": 4,
    "author": "Runa",
    "time": "2026-11-20T10:00:00+00:00",
    "note": "",
    "state": "draft",
    "parent": 1,
    "merged": None,
    "changed": 0,
}


@pytest.fixture
def ident(server: PrivateServer, house: str) -> str:
    """Return a template of which 1 is approved, Tamsin's 2 is in review and Runa's 3 is a draft.

    Tamsin approves, Runa edits.
    """
    runa, tamsin = (open_server(server.url(name, house)) for name in ("Runa", "Tamsin"))
    result = runa.save_new(HD, "house", "").template_id
    runa.review(result, 1, "propose")
    tamsin.review(result, 1, "approve")
    tamsin.save_revision(result, quiet(-14), "")
    tamsin.review(result, 2, "propose")
    runa.save_revision(result, quiet(-12), "", parent=1)
    runa.save_new(edited(quiet(-10), Edit("name", "Secret")), "own", "", ident="secret")
    runa.close()
    tamsin.close()
    return result


def quiet(level: float) -> Template:
    return edited(HD, Edit("sound.line_up_dbfs", level))


def tried(server: PrivateServer, house: str, person: str, *statements: str, values: tuple[object, ...] = ()) -> str:
    """Return what the server says to a raw connection; empty where the last statement did something."""
    with psycopg.connect(server.url(person, house)) as raw:
        try:
            for statement in statements[:-1]:
                raw.execute(statement.encode())
            done = raw.execute(statements[-1].encode(), values or None)
            touched = done.rowcount
            raw.commit()
        except psycopg.Error as error:
            return str(error) or type(error).__name__
        return "" if touched else "no row"


def whole(library: ServerLibrary, ident: str) -> tuple[object, ...]:
    return library.revisions(ident), library.remarks(ident), library.summary(ident)


_HANDED = (
    "INSERT INTO handover SELECT 'h1', 'Lamp', template_id, 1, repeat('a', 64), 'HD', 'x.mxf', {sha}, '{verdict}',"
    " 'Runa', time FROM revision WHERE number = 1 AND template_id = '{{id}}'"
)
#: Who tries what. {n} and the like are filled in; every one of them is refused, or finds no row.
ATTACKS = (
    ("Runa", "UPDATE revision SET body = ''"),
    ("Odo", _HANDED.format(verdict="passes", sha="repeat('a', 64)")),  # in another's name
    ("Runa", _HANDED.format(verdict="fails", sha="repeat('a', 64)")),
    ("Runa", _HANDED.format(verdict="passes", sha="'none'")),
    ("Runa", "UPDATE handover SET verdict = 'passes'"),
    ("Tamsin", "DELETE FROM handover"),
    ("Runa", "DELETE FROM revision"),
    ("Tamsin", "UPDATE revision SET note = 'x'"),
    ("keeper", "UPDATE revision SET note = 'x'"),  # not even who keeps it
    ("Runa", "UPDATE template SET name = 'x' WHERE id = '{id}'"),
    ("Runa", "UPDATE template SET owner = 'Odo' WHERE id = '{id}'"),
    ("Runa", "UPDATE head SET approved = NULL"),
    ("Runa", "DELETE FROM review"),
    (
        "Runa",
        REVIEW.format(id="{id}", number=2, act="approve", state="approved", person="Runa"),
    ),  # an editor is no approver
    ("Runa", REVIEW.format(id="{id}", number=2, act="approve", state="approved", person="Ivo")),  # in another's name
    ("Tamsin", REVIEW.format(id="{id}", number=2, act="approve", state="approved", person="Tamsin")),  # her own
    ("Ivo", REVIEW.format(id="{id}", number=3, act="approve", state="approved", person="Ivo")),  # nobody proposed it
    ("Runa", REVIEW.format(id="{id}", number=1, act="withdraw", state="withdrawn", person="Runa")),
    (
        "Runa",
        REVIEW.format(id="{id}", number=3, act="comment", state="approved", person="Runa"),
    ),  # a comment that would approve
    (
        "Runa",
        REVIEW.format(id="secret", number=1, act="propose", state="in review", person="Runa").replace(
            "max(n) + 1", "COALESCE(max(n), 0) + 99"
        ),
    ),
    (
        "Runa",
        REVIEW.format(id="{id}", number=3, act="comment", state="", person="Runa").replace(
            "max(n) + 1", "max(2147483647)"
        ),
    ),
    (
        "Runa",
        REVIEW.format(id="{id}", number=3, act="comment", state="", person="Runa").replace(
            "''", "repeat('x', 50000)", 2
        ),
    ),
    ("Runa", "INSERT INTO setting VALUES ('approval', 'one person')"),
    ("Runa", "INSERT INTO setting VALUES ('default_template/Odo', 'x')"),
    ("Wren", "INSERT INTO setting VALUES ('anything/Wren', 'x')"),
    ("Wren", "INSERT INTO setting VALUES ('approval/Wren', 'one person')"),
    ("Odo", "SELECT body FROM revision WHERE template_id = 'secret'"),
    ("Odo", "SELECT * FROM template WHERE id = 'secret'"),
    ("Odo", "SELECT * FROM head WHERE template_id = 'secret'"),
    ("Odo", "SELECT * FROM standing WHERE template_id = 'secret'"),
    ("Odo", "UPDATE template SET aside = '2026-11-20T10:00:00' WHERE id = 'secret'"),
    ("Runa", "DELETE FROM audit"),
    ("Runa", "SELECT * FROM audit"),
    ("Tamsin", "INSERT INTO audit (act, tab, row_key, what) VALUES ('INSERT', 'x', 'x', '{{}}')"),
    ("Runa", "DROP TABLE revision"),
    ("Runa", "ALTER TABLE revision DISABLE TRIGGER ALL"),
    ("Runa", "CREATE TABLE mine (a int)"),
    ("Runa", "CREATE TEMP TABLE mine (a int)"),
    ("Runa", "CREATE SCHEMA mine"),
    ("Runa", "CREATE FUNCTION public.f() RETURNS int LANGUAGE sql AS 'SELECT 1'"),
    (
        "Runa",
        "INSERT INTO template VALUES ('e', 'empty', 'empty', 'house', '', '2026-11-20T10:00:00')",
    ),  # holds a name for nothing
    ("Runa", "INSERT INTO template VALUES ('e', 'House HD 50i', 'another', 'house', '', '2026-11-20T10:00:00')"),
    ("Wren", "INSERT INTO template VALUES ('i', 'n', 'n', 'house', '', '2026-11-20T10:00:00')"),
    (
        "Wren",
        "INSERT INTO job VALUES ('j', 't', '/', '{id}', 'n', 1, '', 'Odo', '2026-11-20T10:00:00')",
    ),  # in another's name
    ("Wren", "INSERT INTO job VALUES ('j', 't', '/', '{id}', 'n', -1, '', 'Wren', '2026-11-20T10:00:00')"),
    ("Wren", "SELECT quarry_hold('{id}')"),
    ("Wren", "SELECT 1 FROM template FOR UPDATE"),
    ("Wren", "LOCK TABLE revision IN SHARE MODE"),
)
#: What would say that an attack was none, but a mistake in it.
SLIPS = ("syntax error", "more than one row", "does not exist", "null value", "duplicate key", "more expressions")


def test_what_each_role_tries_is_refused(server: PrivateServer, house: str, ident: str) -> None:
    ivo = open_server(server.url("Ivo", house))
    before = whole(ivo, ident)
    for person, statement in ATTACKS:
        for first in ((), ("SET ROLE quarry_editor",), ("SET search_path = pg_temp, public",)):
            if person == "keeper" and first:
                continue
            attack = statement.replace("{id}", ident).replace("{{", "{").replace("}}", "}")
            text = tried(server, house, person, *first, attack)
            assert text and not any(slip in text for slip in SLIPS), (person, statement, text)
    assert whole(ivo, ident) == before
    assert tried(server, house, "Wren", "SELECT pg_advisory_lock(7461)") == ""  # an open session's lock stops nobody
    with psycopg.connect(server.url("Tamsin", house)) as raw:
        audited = raw.execute("SELECT person, act, tab FROM audit ORDER BY id").fetchall()
    assert audited[-1] == ("Runa", "INSERT", "revision") and ("Tamsin", "INSERT", "review") in audited
    ivo.close()


SUMMARY = json.loads(RevisionFacts.of(HD).to_text())
BAD_ROWS: tuple[dict[str, object], ...] = (
    {"number": 9},
    {"number": 2147483647},
    {"number": 0},
    {"number": -1},
    {"author": "Odo"},
    {"state": "approved"},
    {"parent": None},
    {"parent": 77},
    {"merged": 4},
    {"changed": -1},
    {"time": "soon"},
    {"time": ""},
    {"hash": "0" * 64},
    {"hash": ""},
    {"body": "no json"},
    {"body": "[]"},
    {"body": "{}"},
    {"body": "{" * 5000},
    {"summary": {**SUMMARY, "deliveries": 7}},
    {"summary": {**SUMMARY, "deliveries": None}},
    {"summary": {**SUMMARY, "deliveries": ["of another"]}},
    {"summary": {**SUMMARY, "lines": "many"}},
    {"summary": {**SUMMARY, "lines": -1}},
    {"summary": {**SUMMARY, "lines": 10**12}},
    {"summary": {**SUMMARY, "working": 5}},
    {"summary": {**SUMMARY, "territory": "nowhere"}},
    {"summary": {}},
    {"summary": []},
    {"note": "x" * 50_000},
    {"summary": {**SUMMARY, "text": "x" * 500_000}},
)


def _inserted(server: PrivateServer, house: str, ident: str, changes: dict[str, object]) -> str:
    body = canonical(quiet(-16))
    row: dict[str, object] = {**ROW, "template_id": ident, "body": body, "summary": SUMMARY, **changes}
    row.setdefault("hash", hashlib.sha256(str(row["body"]).encode()).hexdigest())
    if not isinstance(row["summary"], str):
        row["summary"] = json.dumps(row["summary"])
    names = ", ".join(row)
    marks = ", ".join(["%s"] * len(row))
    return tried(server, house, "Runa", f"INSERT INTO revision ({names}) VALUES ({marks})", values=tuple(row.values()))


def test_a_revision_that_does_not_hold_together_is_no_row(server: PrivateServer, house: str, ident: str) -> None:
    ivo = open_server(server.url("Ivo", house))
    before = whole(ivo, ident)
    for changes in BAD_ROWS:
        assert _inserted(server, house, ident, changes), changes
    assert whole(ivo, ident) == before and len(ivo.summaries()) == 1
    assert _inserted(server, house, ident, {}) == ""  # what all of them were made of is taken in
    assert ivo.stored(ident, 4).template == quiet(-16)
    ivo.close()


def test_nothing_in_a_session_stands_before_what_is_ours(server: PrivateServer, house: str, ident: str) -> None:
    """The ways round that an older version left: held even where somebody was given temporary tables."""
    tried(server, house, "keeper", f"GRANT TEMPORARY ON DATABASE {house} TO PUBLIC")
    own = REVIEW.format(id=ident, number=2, act="approve", state="approved", person="Tamsin")
    unproposed = REVIEW.format(id=ident, number=3, act="approve", state="approved", person="Runa")
    path = "SET search_path = pg_temp, public"
    hidden_class = (
        "CREATE TEMP TABLE pg_class (oid oid, relowner oid)",
        "INSERT INTO pg_class SELECT 'public.review'::regclass, oid FROM pg_roles WHERE rolname = session_user",
    )
    hidden_rule = (
        "CREATE TEMP TABLE setting (key text, value text)",
        "INSERT INTO setting VALUES ('approval', 'one person')",
    )
    through = (
        "CREATE TEMP TABLE door (a int)",
        (
            "CREATE FUNCTION pg_temp.through() RETURNS trigger LANGUAGE plpgsql AS $f$ BEGIN"
            f" {own.replace('INTO review', 'INTO public.review').replace('FROM review', 'FROM public.review')};"
            " RETURN NEW; END $f$"
        ),
        "CREATE TRIGGER t BEFORE INSERT ON door FOR EACH ROW EXECUTE FUNCTION pg_temp.through()",
        "INSERT INTO door VALUES (1)",
    )
    for person, *statements in (
        ("Tamsin", *hidden_class, path, own),
        ("Runa", *hidden_class, path, unproposed),
        ("Tamsin", *hidden_rule, path, own),
        ("Tamsin", *through),
        (
            "Runa",
            "CREATE TEMP TABLE door (template_id text)",
            "CREATE TRIGGER a AFTER INSERT ON door FOR EACH ROW EXECUTE FUNCTION public.quarry_audit()",
            "INSERT INTO door VALUES ('forged')",
        ),
        (
            "Runa",
            "CREATE TEMP TABLE door (template_id text)",
            "CREATE TRIGGER a AFTER INSERT ON door FOR EACH ROW EXECUTE FUNCTION public.quarry_heads()",
            "INSERT INTO door VALUES ('forged')",
        ),
        (
            "Runa",
            "CREATE TEMP TABLE shelf (id text, name_key text, aside text)",
            "CREATE TRIGGER a AFTER UPDATE ON shelf FOR EACH ROW EXECUTE FUNCTION public.quarry_shelved()",
        ),
    ):
        text = tried(server, house, person, *statements)
        assert "permission denied" in text, (statements, text)
    comment = REVIEW.format(id=ident, number=3, act="comment", state="", person="Runa")
    columns = "(id bigint, act text, tab text, row_key text, what jsonb)"
    public = comment.replace("review ", "public.review ")
    assert tried(server, house, "Runa", f"CREATE TEMP TABLE audit {columns}", path, public) == ""
    with psycopg.connect(server.url("Tamsin", house)) as raw:
        last = raw.execute("SELECT person, tab, what ->> 'act' FROM audit ORDER BY id DESC LIMIT 1").fetchone()
    assert last == ("Runa", "review", "comment")  # the audit has it all the same


def test_a_reader_stops_no_save_and_a_server_set_up_before_is_mended(
    server: PrivateServer, house: str, ident: str
) -> None:
    runa = open_server(server.url("Runa", house))
    with psycopg.connect(server.url("Wren", house)) as held:
        held.execute("SELECT pg_advisory_lock(hashtextextended(%s, 0))", (ident,))  # what an older version waited for
        assert runa.save_revision(ident, quiet(-18.5), "").number == 4
    keeper = server.url("keeper", house)
    tried(server, house, "keeper", "COMMENT ON FUNCTION quarry_guard() IS NULL")
    tried(server, house, "keeper", "ALTER FUNCTION quarry_heads() SET search_path = public")
    assert any(item.startswith("mended") for item in set_up(keeper, {}).lines)
    tried(server, house, "keeper", "ALTER TABLE review DISABLE TRIGGER USER")
    poisoned = REVIEW.format(id=ident, number=1, act="comment", state="", person="Runa")
    assert tried(server, house, "keeper", poisoned.replace("max(n) + 1", "max(2147483647)")) == ""
    lines = "\n".join(set_up(keeper, {}).lines)
    assert "mended" not in lines and "remark 2147483647 is out of count" in lines
    runa.close()


def test_a_bad_row_that_is_there_already_is_shown_as_bad_and_the_rest_goes_on(
    server: PrivateServer, house: str, ident: str, tmp_path: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    from idle_quarry.library.server.at_hand import AtHand

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    odo = open_server(server.url("Odo", house))
    good = odo.save_new(edited(HD, Edit("name", "Good")), "house", "").template_id
    assert tried(server, house, "keeper", "ALTER TABLE revision DISABLE TRIGGER revision_guard") == ""
    row = (
        "INSERT INTO revision SELECT template_id, 4, author, time, note, state, hash, body, %s FROM revision WHERE"
        " template_id = %s AND number = 3"
    )
    bad = json.dumps({**SUMMARY, "deliveries": 7})
    assert tried(server, house, "keeper", row, values=(bad, ident)) == ""
    listed = {summary.id: summary for summary in odo.summaries()}
    assert listed[ident].damaged and not listed[good].damaged
    at_hand = AtHand(server.url("Odo", house), "Odo")
    at_hand.join()
    assert {item.id for item in at_hand.summaries()} == {ident, good} and at_hand.stored(good).template.name == "Good"
    at_hand.close()
    odo.close()


def test_every_object_of_the_server_has_its_stated_right(server: PrivateServer, house: str) -> None:
    with psycopg.connect(server.url("keeper", house)) as raw:
        there = {
            row[0]
            for row in raw.execute(
                "SELECT relname FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind IN ('r', 'v',"
                " 'm', 'f', 'p')"
            )
        }
        whole_tables = raw.execute(
            "SELECT c.relname, a.grantee::regrole::text, a.privilege_type FROM pg_class c, aclexplode(c.relacl) a "
            "WHERE c.relnamespace = 'public'::regnamespace AND a.grantee <> c.relowner"
        ).fetchall()
        columns = raw.execute(
            "SELECT c.relname, a.grantee::regrole::text, a.privilege_type || ' (' || string_agg(t.attname, ', ' ORDER"
            " BY t.attnum) || ')' FROM pg_class c JOIN pg_attribute t ON t.attrelid = c.oid, aclexplode(t.attacl) a"
            " WHERE c.relnamespace = 'public'::regnamespace GROUP BY 1, 2, a.privilege_type"
        ).fetchall()
        functions = raw.execute(
            "SELECT p.proname, p.prosecdef, p.proconfig, array(SELECT a.grantee::regrole::text FROM"
            " aclexplode(p.proacl) a WHERE a.grantee <> p.proowner) FROM pg_proc p WHERE p.pronamespace ="
            " 'public'::regnamespace"
        ).fetchall()
        triggers = {
            row[0]
            for row in raw.execute(
                "SELECT tgname FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid WHERE NOT tgisinternal AND"
                " tgenabled = 'O' AND c.relnamespace = 'public'::regnamespace"
            )
        }
        policies = {
            tuple(row)
            for row in raw.execute("SELECT tablename, policyname, cmd FROM pg_policies WHERE schemaname = 'public'")
        }
        shut = {
            row[0]
            for row in raw.execute(
                "SELECT relname FROM pg_class WHERE relrowsecurity AND relnamespace = 'public'::regnamespace"
            )
        }
    assert there == {name for name, *_ in GRANTED}
    stated = {(n, g, _columns_in_order(w)) for n, g, w in GRANTED}
    assert {(n, g, _columns_in_order(w)) for n, g, w in (*whole_tables, *columns)} == stated
    assert {name for name, *_ in functions} == set(CALLED)
    for name, definer, config, callers in functions:
        assert callers == ([CALLED[name]] if CALLED[name] else []), name
        assert config == ["search_path=pg_catalog, public, pg_temp"], name
        assert definer or name == "quarry_never"
    heads = {"template_heads", "revision_heads", "review_heads", "revision_never", "review_never"}
    assert triggers == {name for _, name, _ in TRIGGERS} | heads
    assert policies == {policy[:3] for policy in POLICIES} and shut == {item[0] for item in POLICIES}


def _columns_in_order(what: str) -> str:
    word, _, columns = what.partition(" (")
    return word + "".join(sorted(columns.rstrip(")").split(", ")))


def test_passwords_are_neither_shown_nor_logged(server: PrivateServer, house: str) -> None:
    for place in (
        f"{server.url('nobody', house)}&password=hush",
        f"{server.url('nobody', house)}&sslpassword=hush",
        "mysql://x:hush@y/z?password=hush",
        "postgresql://Runa:hush@[broken/house?password=hush",
        "odd://me:hush@x",
    ):
        with pytest.raises(LibraryError) as refusal:
            open_server(place)
        assert "hush" not in str(refusal.value) and "hush" not in refusal.value.subject
    engine = sa.create_engine(
        server.url("keeper", house).replace("postgresql:", "postgresql+psycopg:"), isolation_level="AUTOCOMMIT"
    )
    with engine.connect() as connection:
        connection.execute(sa.text("ALTER SYSTEM SET log_statement = 'ddl'"))
        connection.execute(sa.text("SELECT pg_reload_conf()"))
    try:
        threading.Event().wait(0.5)  # the server reads its settings again when it is told
        password = set_up(server.url("keeper", house), {"Bryn2": "reader"}).passwords["Bryn2"]
        log = (server.folder / "log").read_text()
        assert 'CREATE ROLE "Bryn2"' in log and password not in log
        with engine.connect() as connection:
            kept = connection.execute(sa.text("SELECT rolpassword FROM pg_authid WHERE rolname = 'Bryn2'")).scalar()
        assert str(kept).startswith("SCRAM-SHA-256$")
    finally:
        with engine.connect() as connection:
            connection.execute(sa.text("ALTER SYSTEM RESET log_statement"))
            connection.execute(sa.text("SELECT pg_reload_conf()"))
        engine.dispose()
