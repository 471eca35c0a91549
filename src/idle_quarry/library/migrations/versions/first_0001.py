"""The first tables: templates, revisions that never change, settings, jobs."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None

_NEVER = """
CREATE TRIGGER revision_never_{word} BEFORE {act} ON revision
BEGIN SELECT RAISE(ABORT, 'a revision never changes'); END
"""


def upgrade() -> None:
    """Make the tables of an empty library."""
    op.create_table(
        "template",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("name_key", sa.String(120), nullable=False),
        sa.Column("shelf", sa.String(8), nullable=False),
        sa.Column("owner", sa.String(80), nullable=False),
        sa.Column("created", sa.String(32), nullable=False),
        sa.UniqueConstraint("shelf", "owner", "name_key", name="one_name_a_shelf"),
    )
    op.create_table(
        "revision",
        sa.Column("template_id", sa.String(36), sa.ForeignKey("template.id"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("author", sa.String(80), nullable=False),
        sa.Column("time", sa.String(32), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("hash", sa.String(64), nullable=False),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("summary", sa.Text, nullable=False),
    )
    op.create_table(
        "setting", sa.Column("key", sa.String(80), primary_key=True), sa.Column("value", sa.Text, nullable=False)
    )
    op.create_table(
        "job",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("title", sa.String(255), nullable=False),
        sa.Column("folder", sa.Text, nullable=False),
        sa.Column("template_id", sa.String(36), nullable=False),
        sa.Column("template_name", sa.String(120), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("hash", sa.String(64), nullable=False),
        sa.Column("author", sa.String(80), nullable=False),
        sa.Column("time", sa.String(32), nullable=False),
    )
    if op.get_bind().dialect.name == "sqlite":
        op.execute(_NEVER.format(word="changes", act="UPDATE"))
        op.execute(_NEVER.format(word="goes", act="DELETE"))
