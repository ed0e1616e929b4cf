"""How lines of roll calls stood last, how fast addresses answered hour by hour, and SecureOn passwords."""

from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute(
        "CREATE TABLE roll_standings (call INTEGER NOT NULL, subject TEXT NOT NULL, state TEXT NOT NULL, since BIGINT, "
        "seen BIGINT, asked BIGINT NOT NULL, CONSTRAINT pk_roll_standings PRIMARY KEY (call, subject)) WITHOUT ROWID"
    )
    op.execute(
        "CREATE TABLE reply_hours (site INTEGER NOT NULL, address BIGINT NOT NULL, hour INTEGER NOT NULL, "
        "looks INTEGER NOT NULL, here INTEGER NOT NULL, timed INTEGER NOT NULL, least INTEGER NOT NULL, "
        "total INTEGER NOT NULL, most INTEGER NOT NULL, "
        "CONSTRAINT pk_reply_hours PRIMARY KEY (site, address, hour)) WITHOUT ROWID"
    )
    op.execute(
        "CREATE TABLE wake_passwords (mac BIGINT NOT NULL, secret TEXT NOT NULL, "
        "CONSTRAINT pk_wake_passwords PRIMARY KEY (mac)) WITHOUT ROWID"
    )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
