"""What was overheard is told apart from what was answered: stays that were only overheard become what was heard only, and those of
mixed sources are known in outline."""

from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

OVERHEARD, OUTLINE = 32, 128


def upgrade() -> None:
    """Bring the records to this revision."""
    for table in ("stays", "adapters", "devices"):
        op.execute(f"ALTER TABLE {table} ADD COLUMN heard BIGINT DEFAULT '0' NOT NULL")
    op.execute(
        "CREATE TABLE heard_only (segment_id INTEGER NOT NULL, mac BIGINT NOT NULL, address BIGINT NOT NULL, "
        "first BIGINT NOT NULL, last BIGINT NOT NULL, times INTEGER NOT NULL, PRIMARY KEY (segment_id, mac, address), "
        "FOREIGN KEY(segment_id) REFERENCES segments (id)) WITHOUT ROWID"
    )
    op.execute("CREATE INDEX ix_heard_only_address ON heard_only (address)")
    op.execute(
        "INSERT INTO heard_only (segment_id, mac, address, first, last, times) "
        "SELECT segment_id, mac, address, min(first), max(last), sum(sightings) FROM stays "
        f"WHERE sources = {OVERHEARD} AND mac IS NOT NULL GROUP BY segment_id, mac, address"
    )
    op.execute(f"DELETE FROM stays WHERE sources = {OVERHEARD}")
    op.execute(
        f"UPDATE stays SET heard = last, sources = (sources & ~{OVERHEARD}) | {OUTLINE} WHERE sources & {OVERHEARD}"
    )
    op.execute(
        "UPDATE adapters SET heard = last_seen WHERE mac IN (SELECT mac FROM heard_only) "
        "AND mac NOT IN (SELECT mac FROM stays WHERE mac IS NOT NULL)"
    )
    op.execute("UPDATE devices SET search = ''")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
