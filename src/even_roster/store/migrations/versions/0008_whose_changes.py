"""Which devices a change concerned: what was released or removed since stands on its device's sheet too."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision; the devices of older changes are read from what those kept."""
    op.create_table(
        "change_devices",
        sa.Column("device", sa.Integer(), nullable=False),
        sa.Column("change_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["change_id"], ["changes.id"], name=op.f("fk_change_devices_change_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("device", "change_id", name=op.f("pk_change_devices")),
        sqlite_with_rowid=False,
    )
    op.create_index(op.f("ix_change_devices_change_id"), "change_devices", ["change_id"])
    for kind, of in (("device", "id"), ("adapter", "device_id"), ("assignment", "device")):
        for side in ("before", "after"):
            op.execute(
                "INSERT OR IGNORE INTO change_devices (device, change_id) "
                f"SELECT CAST(json_extract({side}, '$.{of}') AS INTEGER), change_id FROM change_items "
                f"WHERE kind = '{kind}' AND json_extract({side}, '$.{of}') IS NOT NULL"
            )
    op.execute(
        "INSERT OR IGNORE INTO change_devices (device, change_id) "
        "SELECT CAST(item AS INTEGER), id FROM changes WHERE kind = 'device' AND item GLOB '[0-9]*' AND item NOT GLOB '*[^0-9]*'"
    )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
