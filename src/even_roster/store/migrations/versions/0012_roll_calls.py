"""Standing lists of whom to look for again and again."""

from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute(
        "CREATE TABLE roll_calls (id INTEGER NOT NULL, name TEXT NOT NULL, every_seconds INTEGER NOT NULL, "
        "lines JSON NOT NULL, PRIMARY KEY (id), UNIQUE (name))"
    )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
