"""Switches that are read: by what, their ports, who was behind each, what their tables pair, and what people say of ports."""

from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute(
        "CREATE TABLE credentials (id INTEGER NOT NULL, name TEXT NOT NULL, snmp TEXT NOT NULL, user TEXT DEFAULT '' "
        "NOT NULL, auth TEXT DEFAULT 'none' NOT NULL, privacy TEXT DEFAULT 'none' NOT NULL, secret TEXT NOT NULL, "
        "CONSTRAINT pk_credentials PRIMARY KEY (id), UNIQUE (name))"
    )
    op.execute(
        "CREATE TABLE switches (id INTEGER NOT NULL, site INTEGER NOT NULL, address BIGINT NOT NULL, credential "
        'INTEGER, every_seconds INTEGER NOT NULL, "on" BOOLEAN DEFAULT 1 NOT NULL, works INTEGER, refused BIGINT, '
        "asked BIGINT, read BIGINT, learnt BIGINT, trouble TEXT DEFAULT '' NOT NULL, told JSON DEFAULT '{}' NOT NULL, "
        "CONSTRAINT pk_switches PRIMARY KEY (id), CONSTRAINT fk_switches_site FOREIGN KEY(site) REFERENCES sites "
        "(id), CONSTRAINT fk_switches_credential FOREIGN KEY(credential) REFERENCES credentials (id))"
    )
    op.execute("CREATE UNIQUE INDEX ix_switches_address ON switches (site, address)")
    op.execute(
        "CREATE TABLE switch_ports (id INTEGER NOT NULL, switch INTEGER NOT NULL, name TEXT NOT NULL, place INTEGER "
        "NOT NULL, there BOOLEAN DEFAULT 1 NOT NULL, CONSTRAINT pk_switch_ports PRIMARY KEY (id))"
    )
    op.execute("CREATE UNIQUE INDEX ix_switch_ports_name ON switch_ports (switch, name)")
    op.execute(
        "CREATE TABLE port_words (port INTEGER NOT NULL, note TEXT NOT NULL, mark TEXT NOT NULL, uplink BOOLEAN, "
        "CONSTRAINT pk_port_words PRIMARY KEY (port))"
    )
    op.execute(
        "CREATE TABLE port_states (id INTEGER NOT NULL, port INTEGER NOT NULL, first BIGINT NOT NULL, last BIGINT, "
        "state JSON NOT NULL, CONSTRAINT pk_port_states PRIMARY KEY (id))"
    )
    op.execute("CREATE INDEX ix_port_states_port ON port_states (port, first)")
    op.execute(
        "CREATE TABLE port_stays (id INTEGER NOT NULL, switch INTEGER NOT NULL, port INTEGER NOT NULL, mac BIGINT NOT "
        "NULL, vlans TEXT NOT NULL, first BIGINT NOT NULL, last BIGINT, ended INTEGER DEFAULT 0 NOT NULL, CONSTRAINT "
        "pk_port_stays PRIMARY KEY (id))"
    )
    op.execute("CREATE INDEX ix_port_stays_mac ON port_stays (mac, first)")
    op.execute("CREATE INDEX ix_port_stays_port ON port_stays (port, first)")
    op.execute("CREATE INDEX ix_port_stays_switch ON port_stays (switch, last)")
    op.execute(
        'CREATE TABLE port_counters (port INTEGER NOT NULL, at BIGINT NOT NULL, "values" JSON NOT NULL, before_at '
        'BIGINT, "before" JSON, CONSTRAINT pk_port_counters PRIMARY KEY (port))'
    )
    op.execute(
        "CREATE TABLE port_days (port INTEGER NOT NULL, day INTEGER NOT NULL, octets_in BIGINT NOT NULL, octets_out "
        "BIGINT NOT NULL, errors_in BIGINT NOT NULL, errors_out BIGINT NOT NULL, CONSTRAINT pk_port_days PRIMARY KEY "
        "(port, day)) WITHOUT ROWID"
    )
    op.execute(
        "CREATE TABLE told_pairs (switch INTEGER NOT NULL, address BIGINT NOT NULL, mac BIGINT NOT NULL, first BIGINT "
        "NOT NULL, last BIGINT, CONSTRAINT pk_told_pairs PRIMARY KEY (switch, address, mac)) WITHOUT ROWID"
    )
    op.execute("CREATE INDEX ix_told_pairs_address ON told_pairs (address)")
    op.execute("CREATE INDEX ix_told_pairs_mac ON told_pairs (mac)")
    op.execute(
        "CREATE TABLE hand_pairs (site INTEGER NOT NULL, address BIGINT NOT NULL, mac BIGINT NOT NULL, note TEXT NOT "
        "NULL, CONSTRAINT pk_hand_pairs PRIMARY KEY (site, address, mac)) WITHOUT ROWID"
    )


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
