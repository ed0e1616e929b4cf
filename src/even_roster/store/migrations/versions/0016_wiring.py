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
        "NULL, members JSON NOT NULL, first BIGINT NOT NULL, last BIGINT, gone BIGINT, CONSTRAINT pk_link_stays PRIMARY KEY "
        "(id))"
    )
    op.execute("CREATE INDEX ix_link_stays_gone ON link_stays (gone)")
    op.execute(
        "CREATE TABLE hand_links (one INTEGER NOT NULL, other INTEGER NOT NULL, joined BOOLEAN NOT NULL, note TEXT NOT "
        "NULL, CONSTRAINT pk_hand_links PRIMARY KEY (one, other)) WITHOUT ROWID"
    )
    op.execute(
        "CREATE TABLE map_places (switch INTEGER NOT NULL, x FLOAT NOT NULL, y FLOAT NOT NULL, CONSTRAINT "
        "pk_map_places PRIMARY KEY (switch))"
    )
    op.execute(
        "CREATE TABLE port_orders (id INTEGER NOT NULL, switch INTEGER NOT NULL, port INTEGER NOT NULL, what TEXT NOT NULL, "
        '"to" TEXT NOT NULL, who TEXT NOT NULL, at BIGINT NOT NULL, credential INTEGER NOT NULL, until BIGINT, state TEXT NOT '
        "NULL, said TEXT DEFAULT '' NOT NULL, CONSTRAINT pk_port_orders PRIMARY KEY (id))"
    )
    op.execute(
        "CREATE TABLE chases (id INTEGER NOT NULL, name TEXT NOT NULL, switches JSON NOT NULL, devices JSON NOT NULL, cables "
        'JSON NOT NULL, begun BIGINT NOT NULL, until BIGINT NOT NULL, "on" BOOLEAN NOT NULL, CONSTRAINT pk_chases PRIMARY KEY '
        "(id))"
    )
    op.execute("CREATE INDEX ix_port_orders_port ON port_orders (port, at)")
    op.execute("CREATE INDEX ix_port_orders_state ON port_orders (state)")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
