"""What DHCP servers hold, whoever wrote it, with where each part stands."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision; servers are read anew, so there is nothing to convert."""
    op.create_table(
        "holdings",
        sa.Column("server", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("part", sa.Text(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("line", sa.Integer(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("within", sa.Text(), nullable=False),
        sa.Column("first", sa.BigInteger()),
        sa.Column("last", sa.BigInteger()),
        sa.Column("identifiers", sa.JSON(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("hangs", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["server"], ["dhcp_servers.id"], name=op.f("fk_holdings_server"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("server", "number", name=op.f("pk_holdings")),
        sqlite_with_rowid=False,
    )
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN holdings_at BIGINT")
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN holdings_trouble TEXT NOT NULL DEFAULT ''")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
