"""How switches hang together: stays of links, what hands say of them, and their places on the map."""

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute(
        "CREATE TABLE link_stays (id INTEGER NOT NULL, ends JSON NOT NULL, known TEXT NOT NULL, shared BOOLEAN NOT "
        "NULL, members JSON NOT NULL, first BIGINT NOT NULL, last BIGINT, CONSTRAINT pk_link_stays PRIMARY KEY (id))"
    )
    op.execute("CREATE INDEX ix_link_stays_last ON link_stays (last)")
    op.execute(
        "CREATE TABLE hand_links (one INTEGER NOT NULL, other INTEGER NOT NULL, joined BOOLEAN NOT NULL, note TEXT NOT "
        "NULL, CONSTRAINT pk_hand_links PRIMARY KEY (one, other)) WITHOUT ROWID"
    )
    op.execute(
        "CREATE TABLE map_places (switch INTEGER NOT NULL, x FLOAT NOT NULL, y FLOAT NOT NULL, CONSTRAINT "
        "pk_map_places PRIMARY KEY (switch))"
    )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
