"""Findings say whether they stand on what was only overheard; what leases may have lengthened is known in outline."""

from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None

LEASE, OUTLINE = 64, 128


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute("ALTER TABLE findings ADD COLUMN heard BOOLEAN DEFAULT 0 NOT NULL")
    op.execute(
        f"UPDATE stays SET sources = sources | {OUTLINE} WHERE sources & {LEASE} AND sources & ~{LEASE | OUTLINE}"
    )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
