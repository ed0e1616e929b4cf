"""What DHCP servers hold, whoever wrote it, with where each part stands; and what stood on them before each publishing."""

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
    op.create_table(
        "dhcp_versions",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("server", sa.Integer(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.Column("texts", sa.JSON(), nullable=False),
        sa.Column("before", sa.Text(), nullable=False),
        sa.Column("meaning", sa.Text(), nullable=False),
        sa.Column("owned", sa.JSON(), nullable=False),
        sa.Column("after", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["server"], ["dhcp_servers.id"], name=op.f("fk_dhcp_versions_server"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_dhcp_versions")),
    )
    op.create_index(op.f("ix_dhcp_versions_server"), "dhcp_versions", ["server"])
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN holdings_at BIGINT")
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN holdings_trouble TEXT NOT NULL DEFAULT ''")
    op.execute("ALTER TABLE dhcp_servers ADD COLUMN drift JSON NOT NULL DEFAULT '{}'")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
