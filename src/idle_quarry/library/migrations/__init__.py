"""The library's schema, version by version, for Alembic."""
