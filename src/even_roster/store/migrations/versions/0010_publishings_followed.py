"""What is about to be written to a DHCP server, noted before it is, so that a service that dies meanwhile knows it again; and the
sheet of a server that is edited by hand, with what the wire showed of it; since when
leases run."""

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision; nothing is being published while it is made."""
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN begun JSON NOT NULL DEFAULT '{}'")
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN sheet TEXT NOT NULL DEFAULT ''")
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN shown JSON NOT NULL DEFAULT '{}'")
    op.execute("ALTER TABLE leases ADD COLUMN since BIGINT")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
