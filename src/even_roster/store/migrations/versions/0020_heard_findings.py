"""Findings say whether they stand on what was only overheard."""

from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute("ALTER TABLE findings ADD COLUMN heard BOOLEAN DEFAULT 0 NOT NULL")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
