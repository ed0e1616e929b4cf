"""Looks, silences and deaf times become facts of their own: the silence of a stay becomes a row beside it."""

from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute(
        "CREATE TABLE silences (stay_id INTEGER NOT NULL, first BIGINT NOT NULL, last BIGINT NOT NULL, times INTEGER NOT NULL, "
        "before BIGINT NOT NULL, after BIGINT NOT NULL, reason INTEGER NOT NULL, PRIMARY KEY (stay_id, first), "
        "FOREIGN KEY(stay_id) REFERENCES stays (id)) WITHOUT ROWID"
    )
    op.execute("CREATE INDEX ix_silences_open ON silences (stay_id) WHERE after = 0")
    op.execute(
        "INSERT INTO silences (stay_id, first, last, times, before, after, reason) "
        "SELECT id, silent_first, silent_last, silent_count, last, 0, reason FROM stays WHERE silent_count > 0"
    )
    for column in ("silent_count", "silent_first", "silent_last"):
        op.execute(f"ALTER TABLE stays DROP COLUMN {column}")
    op.execute(
        "CREATE TABLE looks (id INTEGER NOT NULL PRIMARY KEY, site INTEGER NOT NULL, adapter TEXT NOT NULL, kind INTEGER NOT NULL, "
        '"by" INTEGER NOT NULL, controlled BOOLEAN NOT NULL, low BIGINT NOT NULL, high BIGINT NOT NULL, spans TEXT NOT NULL, '
        "first BIGINT NOT NULL, began BIGINT NOT NULL, last BIGINT NOT NULL, times INTEGER NOT NULL, every BIGINT NOT NULL)"
    )
    op.execute("CREATE INDEX ix_looks_low ON looks (low, last)")
    op.execute("CREATE INDEX ix_looks_last ON looks (last)")
    op.execute(
        "CREATE TABLE deaf_times (id INTEGER NOT NULL PRIMARY KEY, adapter TEXT NOT NULL, why INTEGER NOT NULL, "
        "first BIGINT NOT NULL, last BIGINT NOT NULL)"
    )
    op.execute("CREATE INDEX ix_deaf_times_first ON deaf_times (first)")
    op.execute("CREATE TABLE heartbeat (id INTEGER NOT NULL PRIMARY KEY, at BIGINT NOT NULL, stopped BOOLEAN NOT NULL)")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
