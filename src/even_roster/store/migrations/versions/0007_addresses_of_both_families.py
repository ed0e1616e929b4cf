"""Addresses of both families in one column: what stands for none sorts behind IPv6 too."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision; what IPv4 stored stays as it is."""
    statement = sa.text("UPDATE devices SET address = :none WHERE address = :before")
    op.execute(statement.bindparams(none=b"\xff" * 17, before=1 << 33))


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
