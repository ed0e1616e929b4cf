"""Alembic's migrations; run by `database` at start."""
