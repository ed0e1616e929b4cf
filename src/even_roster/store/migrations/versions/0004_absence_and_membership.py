"""Absence as a fact of a stay, members of router groups, and acceptances that hold for the devices they were given for."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_VIRTUAL = 0x00005E0001


def upgrade() -> None:
    """Bring the tables to this revision. Columns are added where they are: tables that others point to are never made anew."""
    op.add_column("stays", sa.Column("widest", sa.BigInteger(), nullable=True))
    op.add_column("stays", sa.Column("silent_count", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("stays", sa.Column("silent_first", sa.BigInteger(), nullable=False, server_default="0"))
    op.add_column("stays", sa.Column("silent_last", sa.BigInteger(), nullable=False, server_default="0"))
    op.add_column("stays", sa.Column("reason", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("acceptances", sa.Column("macs", sa.JSON(), nullable=True))
    op.add_column("devices", sa.Column("called", sa.Text(), nullable=False, server_default=""))
    op.add_column("devices", sa.Column("called_because", sa.Text(), nullable=False, server_default=""))
    op.add_column("devices", sa.Column("vouched", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "router_members",
        sa.Column("site", sa.Integer(), nullable=False),
        sa.Column("address", sa.BigInteger(), nullable=False),
        sa.Column("mac", sa.BigInteger(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["site"], ["sites.id"], name=op.f("fk_router_members_site"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("site", "address", "mac", name=op.f("pk_router_members")),
        sqlite_with_rowid=False,
    )
    _learn_members()
    _call_devices()
    _bind_acceptances()


def _learn_members() -> None:
    """Whoever shared an address with a virtual router's MAC before was licensed by it: they stay known as members."""
    op.execute(
        sa.text(
            "INSERT OR IGNORE INTO router_members (site, address, mac, who, at) "
            "SELECT coalesce(segments.site_id, here.id), stays.address, stays.mac, 'learnt before', max(stays.last) "
            "FROM stays JOIN segments ON segments.id = stays.segment_id "
            "JOIN (SELECT id FROM sites ORDER BY here DESC, id LIMIT 1) AS here "
            "WHERE stays.mac IS NOT NULL AND stays.address IN "
            "(SELECT address FROM stays WHERE mac >> 8 = :virtual) "
            "GROUP BY 1, 2, 3"
        ).bindparams(virtual=_VIRTUAL)
    )


def _call_devices() -> None:
    """What each device is called and why, and whether anybody vouches for it: by naming or planning it."""
    op.execute(
        "UPDATE devices SET vouched = name != '' OR id IN (SELECT adapters.device_id FROM adapters "
        'JOIN assignments ON assignments.mac = adapters.mac WHERE assignments."on")'
    )
    op.execute(
        "UPDATE devices SET called = CASE WHEN name != '' THEN name ELSE seen_name END, called_because = CASE "
        "WHEN name != '' THEN 'given by hand' WHEN seen_name = '' THEN '' "
        "WHEN id IN (SELECT adapters.device_id FROM adapters JOIN assignments ON assignments.mac = adapters.mac "
        "WHERE assignments.\"on\" AND assignments.name = devices.seen_name) THEN 'planned hostname' ELSE 'heard' END"
    )


def _bind_acceptances() -> None:
    """An acceptance holds for the devices that its finding was about when it was last told."""
    connection = op.get_bind()
    rows = connection.execute(
        sa.text(
            "SELECT acceptances.kind, acceptances.key, findings.subjects FROM acceptances "
            "JOIN findings ON findings.kind = acceptances.kind AND findings.key = acceptances.key"
        )
    ).all()
    for kind, key, subjects in rows:
        macs = [value for what, value in json.loads(subjects) if what == "mac"]
        connection.execute(
            sa.text("UPDATE acceptances SET macs = :macs WHERE kind = :kind AND key = :key"),
            {"macs": json.dumps(macs), "kind": kind, "key": key},
        )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
