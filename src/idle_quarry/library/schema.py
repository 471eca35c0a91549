"""The tables of a library."""

from __future__ import annotations

import sqlalchemy as sa

#: The newest migration. A library at another number is migrated, or refused where it is newer.
HEAD = "0001"

metadata = sa.MetaData()

templates = sa.Table(
    "template",
    metadata,
    sa.Column("id", sa.String(36), primary_key=True),
    sa.Column("name", sa.String(120), nullable=False),
    sa.Column("name_key", sa.String(120), nullable=False),
    sa.Column("shelf", sa.String(8), nullable=False),
    sa.Column("owner", sa.String(80), nullable=False),
    sa.Column("created", sa.String(32), nullable=False),
    sa.UniqueConstraint("shelf", "owner", "name_key", name="one_name_a_shelf"),
)

revisions = sa.Table(
    "revision",
    metadata,
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

settings = sa.Table(
    "setting",
    metadata,
    sa.Column("key", sa.String(80), primary_key=True),
    sa.Column("value", sa.Text, nullable=False),
)

jobs = sa.Table(
    "job",
    metadata,
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
