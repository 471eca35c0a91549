"""Which machine verified what was handed over, where it was another than its author's."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Bring a library of version 0004 to this one."""
    op.add_column("handover", sa.Column("looked", sa.String(255), nullable=False, server_default=""))
