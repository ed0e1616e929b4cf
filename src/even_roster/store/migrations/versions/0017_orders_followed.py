"""Since when an order to switch a port stands as it does, and what whoever gave it consented to."""

from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute("ALTER TABLE port_orders ADD COLUMN said_at BIGINT")
    op.execute("ALTER TABLE port_orders ADD COLUMN consents JSON DEFAULT '[]' NOT NULL")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
