"""${message}"""

import sqlalchemy as sa
from alembic import op

revision = ${repr(up_revision)}
down_revision = ${repr(down_revision)}
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables to this revision."""
    ${upgrades if upgrades else "pass"}


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
