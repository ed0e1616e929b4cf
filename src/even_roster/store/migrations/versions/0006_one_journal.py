"""Every edit by a person is kept in one journal: settings beside the plan and the devices."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this revision."""
    op.add_column("change_items", sa.Column("key", sa.Text(), nullable=True))


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
