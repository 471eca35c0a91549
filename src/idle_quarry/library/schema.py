"""The tables of a library."""

from __future__ import annotations

import sqlalchemy as sa

#: The newest migration. A library at another number is migrated, or refused where it is newer.
HEAD = "0005"

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
    sa.Column("aside", sa.String(32)),
    # a template, or the kind of a house's own entry
    sa.Column("kind", sa.String(16), nullable=False, server_default="template"),
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
    # the revision it began from, the other one where two were merged, and how many settings differ from the first
    sa.Column("parent", sa.Integer),
    sa.Column("merged", sa.Integer),
    sa.Column("changed", sa.Integer),
    # made by whoever saves: a save sent again after a broken line is known by it
    sa.Column("ident", sa.String(36), unique=True),
)

reviews = sa.Table(
    "review",
    metadata,
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
)

#: Written by triggers alone, never by this program.
heads = sa.Table(
    "head",
    metadata,
    sa.Column("template_id", sa.String(36), sa.ForeignKey("template.id"), primary_key=True),
    # the template's own, so that a search need not look at both tables
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
    sa.Column("kind", sa.String(16), nullable=False, server_default="template"),
)

#: A view: the state of each revision, from the reviews of it.
standing = sa.table("standing", sa.column("template_id"), sa.column("number"), sa.column("state"))

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

#: What was made of a job and verified: a file's name and hash, against which delivery, and what came of it.
handovers = sa.Table(
    "handover",
    metadata,
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
    sa.Column("looked", sa.String(255), nullable=False, server_default=""),
)
