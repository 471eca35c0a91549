"""Reviews beside the revisions, what each revision began from, templates put aside, and a narrow row to list each by.

A revision still never changes: its state follows from the reviews of it. `standing` derives it; `head` keeps, for each
template, its newest revision and its approved one with what lists and searches show, written by triggers alone, so that
no writer can leave it wrong.
"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"

_STANDING = """
CREATE VIEW standing {options} AS
SELECT r.template_id, r.number, COALESCE((
    SELECT v.state FROM review v
    WHERE v.template_id = r.template_id AND v.number = r.number AND v.state <> '' ORDER BY v.n DESC LIMIT 1
), r.state) AS state FROM revision r
"""

_HEAD_COLUMNS = (
    "template_id, name_key, shelf, owner, aside, latest, state, approved, drafts, "
    "territory, working, lines, deliveries, text"
)
#: Each part is found without looking at every revision's state: a template may have a thousand.
_HEAD = """
SELECT r.template_id, t.name_key, t.shelf, t.owner, t.aside, r.number, s.state,
    (SELECT a.number FROM standing a WHERE a.template_id = {id} AND a.state = 'approved' ORDER BY a.number DESC LIMIT
        1),
    (SELECT count(*) FROM standing d WHERE d.template_id = {id} AND d.state IN ('draft', 'in review') AND d.number IN (
        SELECT number FROM revision WHERE template_id = {id}
        EXCEPT SELECT parent FROM revision WHERE template_id = {id} AND parent IS NOT NULL
        EXCEPT SELECT merged FROM revision WHERE template_id = {id} AND merged IS NOT NULL)),
    {part_territory}, {part_working}, {part_lines}, {part_deliveries}, {part_text}
FROM revision r JOIN template t ON t.id = r.template_id
JOIN standing s ON s.template_id = r.template_id AND s.number = r.number
WHERE r.template_id = {id} AND r.number = COALESCE(
    (SELECT l.number FROM standing l WHERE l.template_id = {id} AND l.state <> 'withdrawn' ORDER BY l.number DESC
        LIMIT 1),
    (SELECT max(m.number) FROM revision m WHERE m.template_id = {id}))
"""
_PARTS = ("territory", "working", "lines", "deliveries", "text")


def _head(ident: str, dialect: str) -> str:
    if dialect == "sqlite":
        parts = {f"part_{name}": f"json_extract(r.summary, '$.{name}')" for name in _PARTS}
    else:
        parts = {f"part_{name}": f"(r.summary::json ->> '{name}')" for name in _PARTS}
        parts["part_lines"] += "::integer"
    return _HEAD.format(id=ident, **parts)


def upgrade() -> None:
    """Bring a library of version 0001 to this one."""
    dialect = op.get_bind().dialect.name
    op.add_column("template", sa.Column("aside", sa.String(32)))
    for name in ("parent", "merged", "changed"):
        op.add_column("revision", sa.Column(name, sa.Integer))
    op.add_column("revision", sa.Column("ident", sa.String(36)))
    op.create_index("one_save_once", "revision", ["ident"], unique=True)
    op.create_table(
        "review",
        sa.Column("template_id", sa.String(36), sa.ForeignKey("template.id"), primary_key=True),
        sa.Column("n", sa.Integer, primary_key=True),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("act", sa.String(16), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("place", sa.String(160), nullable=False),
        sa.Column("person", sa.String(80), nullable=False),
        sa.Column("time", sa.String(32), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("ident", sa.String(36), nullable=False, unique=True),
        sa.ForeignKeyConstraint(["template_id", "number"], ["revision.template_id", "revision.number"]),
    )
    op.create_index("review_of", "review", ["template_id", "number", "n"])
    op.create_table(
        "head",
        sa.Column("template_id", sa.String(36), sa.ForeignKey("template.id"), primary_key=True),
        sa.Column("name_key", sa.String(120), nullable=False),
        sa.Column("shelf", sa.String(8), nullable=False),
        sa.Column("owner", sa.String(80), nullable=False),
        sa.Column("aside", sa.String(32)),
        sa.Column("latest", sa.Integer, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("approved", sa.Integer),
        sa.Column("drafts", sa.Integer, nullable=False),
        sa.Column("territory", sa.String(16), nullable=False),
        sa.Column("working", sa.String(120), nullable=False),
        sa.Column("lines", sa.Integer, nullable=False),
        sa.Column("deliveries", sa.Text, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
    )
    op.execute(_STANDING.format(options="" if dialect == "sqlite" else "WITH (security_invoker = true)"))
    if dialect == "sqlite":
        _sqlite()
    else:
        _postgresql()
    op.execute(
        f"INSERT INTO head ({_HEAD_COLUMNS}) SELECT h.* FROM template o, LATERAL ({_head('o.id', dialect)}) h"
        if dialect != "sqlite"
        else "SELECT 1"
    )
    if dialect == "sqlite":
        for (ident,) in op.get_bind().execute(sa.text("SELECT id FROM template")).all():
            op.get_bind().execute(sa.text(f"INSERT INTO head ({_HEAD_COLUMNS}) {_head(':id', dialect)}"), {"id": ident})


def _sqlite() -> None:
    # a revision saved before this knew what it began from only by its number
    op.execute("DROP TRIGGER revision_never_changes")
    op.execute("UPDATE revision SET parent = number - 1 WHERE number > 1")
    for table in ("revision", "review"):
        for word, act in (("changes", "UPDATE"), ("goes", "DELETE")):
            if (table, word) != ("revision", "goes"):
                op.execute(
                    f"CREATE TRIGGER {table}_never_{word} BEFORE {act} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, 'a {table} never changes'); END"
                )
        op.execute(
            f"CREATE TRIGGER {table}_heads AFTER INSERT ON {table} BEGIN "
            f"INSERT OR REPLACE INTO head ({_HEAD_COLUMNS}) {_head('NEW.template_id', 'sqlite')}; END"
        )

    op.execute(
        "CREATE TRIGGER template_heads AFTER UPDATE ON template BEGIN "
        "UPDATE head SET name_key = NEW.name_key, aside = NEW.aside WHERE template_id = NEW.id; END"
    )


def _postgresql() -> None:
    op.execute("UPDATE revision SET parent = number - 1 WHERE number > 1")
    updates = ", ".join(f"{name} = EXCLUDED.{name}" for name in _HEAD_COLUMNS.split(", ")[1:])
    op.execute(f"""
        CREATE FUNCTION quarry_heads() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = public AS $$
        BEGIN
            INSERT INTO head ({_HEAD_COLUMNS}) {_head("NEW.template_id", "postgresql")}
            ON CONFLICT (template_id) DO UPDATE SET {updates};
            RETURN NULL;
        END $$
        """)
    op.execute("""
        CREATE FUNCTION quarry_never() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN RAISE EXCEPTION 'a % never changes', TG_TABLE_NAME; END $$
        """)
    for table in ("revision", "review"):
        op.execute(f"CREATE TRIGGER {table}_heads AFTER INSERT ON {table} FOR EACH ROW EXECUTE FUNCTION quarry_heads()")
        op.execute(
            f"CREATE TRIGGER {table}_never BEFORE UPDATE OR DELETE ON {table} FOR EACH ROW EXECUTE FUNCTION"
            " quarry_never()"
        )
