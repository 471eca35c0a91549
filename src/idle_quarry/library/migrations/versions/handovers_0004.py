"""What was handed over from a revision, and verified: evidence that it works. Rows are added and never change."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Bring a library of version 0003 to this one."""
    op.create_table(
        "handover",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("job", sa.String(255), nullable=False),
        sa.Column("template_id", sa.String(36), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("hash", sa.String(64), nullable=False),
        sa.Column("delivery", sa.String(120), nullable=False),
        sa.Column("file", sa.String(255), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("verdict", sa.String(16), nullable=False),
        sa.Column("author", sa.String(80), nullable=False),
        sa.Column("time", sa.String(32), nullable=False),
    )
    op.create_index("handover_of_template", "handover", ["template_id", "time"])
