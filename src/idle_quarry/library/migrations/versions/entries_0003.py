"""A house's own entries beside its templates, in the same tables: what each is stands in `kind`."""

import sqlalchemy as sa
from alembic import op

from idle_quarry.library.migrations.versions.reviewed_0002 import _HEAD_COLUMNS, _head

revision = "0003"
down_revision = "0002"

_COLUMNS = f"{_HEAD_COLUMNS}, kind"


def _with_kind(ident: str, dialect: str) -> str:
    before, after = _head(ident, dialect).split("FROM revision r JOIN template t", 1)
    return f"{before.rstrip()}, t.kind FROM revision r JOIN template t{after}"


def upgrade() -> None:
    """Bring a library of version 0002 to this one."""
    for table in ("template", "head"):
        op.add_column(table, sa.Column("kind", sa.String(16), nullable=False, server_default="template"))
    op.create_index("head_of_kind", "head", ["kind", "name_key"])
    if op.get_bind().dialect.name == "sqlite":
        for table in ("revision", "review"):
            op.execute(f"DROP TRIGGER {table}_heads")
            op.execute(
                f"CREATE TRIGGER {table}_heads AFTER INSERT ON {table} BEGIN "
                f"INSERT OR REPLACE INTO head ({_COLUMNS}) {_with_kind('NEW.template_id', 'sqlite')}; END"
            )
        return
    updates = ", ".join(f"{name} = EXCLUDED.{name}" for name in _COLUMNS.split(", ")[1:])
    op.execute(
        f"""
        CREATE OR REPLACE FUNCTION quarry_heads() RETURNS trigger
        LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public, pg_temp AS $$
        BEGIN
            INSERT INTO head ({_COLUMNS}) {_with_kind("NEW.template_id", "postgresql")}
            ON CONFLICT (template_id) DO UPDATE SET {updates};
            RETURN NULL;
        END $$
        """
    )
    # a server did not hear when a template was put aside or renamed; a file did
    op.execute(
        """
        CREATE FUNCTION quarry_shelved() RETURNS trigger
        LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, public, pg_temp AS $$
        BEGIN
            UPDATE head SET name_key = NEW.name_key, aside = NEW.aside WHERE template_id = NEW.id;
            RETURN NULL;
        END $$
        """
    )
    op.execute("CREATE TRIGGER template_heads AFTER UPDATE ON template FOR EACH ROW EXECUTE FUNCTION quarry_shelved()")
    op.execute("UPDATE head SET name_key = t.name_key, aside = t.aside FROM template t WHERE t.id = head.template_id")
