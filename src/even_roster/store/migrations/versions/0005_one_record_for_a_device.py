"""A device is one record: every assignment belongs to one, expected devices included, and the role stands with the device.

Of two roles the plan's is the device's and the other goes to its notes; where a hand called it otherwise than the plan, both stay.
All such cases are listed for review.
"""

import time
from ipaddress import IPv4Address

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_ROLES = (
    "network", "server", "storage", "phone", "printer", "camera", "wireless", "workstation", "portable", "control", "other",
)  # fmt: skip


def upgrade() -> None:
    """Bring the tables to this revision. Columns are added where they are: tables that others point to are never made anew."""
    op.create_table(
        "reviews",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("device", sa.Integer(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["device"], ["devices.id"], name=op.f("fk_reviews_device"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reviews")),
    )
    op.create_index("ix_reviews_device", "reviews", ["device"])
    op.execute(
        "ALTER TABLE assignments ADD COLUMN device INTEGER CONSTRAINT fk_assignments_device REFERENCES devices (id)"
    )
    op.create_index("ix_assignments_device", "assignments", ["device"])
    _find_owners()
    _make_expected()
    _one_role()
    _list_names()
    _own_roles()
    op.drop_column("assignments", "role")


def _find_owners() -> None:
    op.execute(
        "UPDATE assignments SET device = (SELECT adapters.device_id FROM adapters WHERE adapters.mac = assignments.mac)"
    )


def _make_expected() -> None:
    """Devices that were planned and not seen yet: one for each MAC, one for each assignment without a MAC."""
    connection = op.get_bind()
    now = int(time.time() * 1000)
    highest = connection.execute(sa.text("SELECT coalesce(max(id), 0) FROM devices")).scalar_one()
    rows = connection.execute(
        sa.text('SELECT id, mac, name, address, "on" FROM assignments WHERE device IS NULL ORDER BY address, id')
    ).all()
    of_mac: dict[int, int] = {}
    for identity, mac, name, address, on in rows:
        device = of_mac.get(mac) if mac is not None else None
        if device is None:
            highest += 1
            device = highest
            values = {"id": device, "now": now, "name": name, "mac": mac, "address": address, "on": on}
            _insert_device(connection, values)
            if mac is not None:
                of_mac[mac] = device
        connection.execute(
            sa.text("UPDATE assignments SET device = :device WHERE id = :id"), {"device": device, "id": identity}
        )


def _insert_device(connection: sa.Connection, values: dict[str, object]) -> None:
    """An expected device with what lists show of it; the service completes its summary when it starts."""
    mac, address = values["mac"], values["address"]
    assert isinstance(address, int)
    connection.execute(
        sa.text(
            "INSERT INTO devices (id, version, name, role, owner, place, notes, retired, created_at, seen_name, called, "
            "called_because, vouched, address, mac, macs, vendor, local, ports, first_seen, last_seen, sort_name, search) "
            "VALUES (:id, 1, '', '', '', '', '', 0, :now, :name, :name, :because, :on, :address, :shown, :macs, '', 0, '[]', "
            "0, 0, :sort, '')"
        ),
        {
            **values, "because": "planned hostname" if values["name"] else "", "shown": 1 << 49 if mac is None else mac,
            "macs": 0 if mac is None else 1, "sort": str(values["name"]).casefold() or "\uffff",
        },
    )  # fmt: skip
    if mac is not None:
        connection.execute(
            sa.text("INSERT INTO adapters (device_id, mac, first_seen, last_seen) VALUES (:id, :mac, 0, 0)"),
            {"id": values["id"], "mac": mac},
        )


def _one_role() -> None:
    """The plan's role is the device's: that of its first assignment that is on."""
    connection = op.get_bind()
    now = int(time.time() * 1000)
    rows = connection.execute(
        sa.text(
            "SELECT assignments.device, assignments.role, assignments.address, devices.role AS own, devices.notes "
            "FROM assignments JOIN devices ON devices.id = assignments.device WHERE assignments.role != '' "
            'ORDER BY assignments.device, assignments."on" DESC, assignments.address'
        )
    ).all()
    chosen: dict[int, str] = {}
    for device, role, address, own, notes in rows:
        if device not in chosen:
            chosen[device] = role
            lines = [notes] if notes else []
            if own not in ("", role):
                lines.append(f"role before it was planned: {own}")
                _list(
                    connection,
                    device,
                    "role",
                    f"planned as {role}; its role was {own}, which stands in its notes now",
                    now,
                )
            connection.execute(
                sa.text("UPDATE devices SET role = :role, notes = :notes WHERE id = :id"),
                {"role": role, "notes": "\n".join(lines), "id": device},
            )
        elif role != chosen[device]:
            where = IPv4Address(address)
            said = f"planned as {chosen[device]}, and at {where} as {role}, which stands in its notes now"
            _list(connection, device, "role", said, now)
            connection.execute(
                sa.text(
                    "UPDATE devices SET notes = notes || CASE notes WHEN '' THEN '' ELSE char(10) END || :line WHERE id = :id"
                ),
                {"line": f"role at {where}: {role}", "id": device},
            )


def _list_names() -> None:
    """Devices that a hand called otherwise than the plan: the hand's name is shown, the planned hostname stays."""
    connection = op.get_bind()
    now = int(time.time() * 1000)
    rows = connection.execute(
        sa.text(
            "SELECT DISTINCT devices.id, devices.name, assignments.name FROM assignments JOIN devices "
            "ON devices.id = assignments.device WHERE devices.name != '' AND assignments.name != '' "
            "AND lower(devices.name) != lower(assignments.name) ORDER BY devices.id"
        )
    ).all()
    for device, given, planned in rows:
        _list(connection, device, "name", f"called {given!r} by hand, planned as {planned!r}", now)


def _own_roles() -> None:
    """Roles are one checked list from now on: those in use that are not on it become the site's own."""
    connection = op.get_bind()
    used = set(connection.execute(sa.text("SELECT DISTINCT role FROM devices WHERE role != ''")).scalars())
    used |= set(
        connection.execute(sa.text("SELECT DISTINCT each.value FROM bands, json_each(bands.roles) AS each")).scalars()
    )
    there = set(connection.execute(sa.text("SELECT name FROM role_rules")).scalars())
    for role in sorted(used - there - set(_ROLES)):
        connection.execute(
            sa.text("INSERT INTO role_rules (name, on_pool, travels) VALUES (:name, 'fine', 0)"), {"name": role}
        )


def _list(connection: sa.Connection, device: int, kind: str, said: str, at: int) -> None:
    connection.execute(
        sa.text("INSERT INTO reviews (device, kind, said, at) VALUES (:device, :kind, :said, :at)"),
        {"device": device, "kind": kind, "said": said, "at": at},
    )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
