"""Fittings of new devices, what was written down of them, kinds of devices; whom roll calls tell of an absence, and when not."""

from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the records to this revision."""
    op.execute("ALTER TABLE roll_calls ADD COLUMN warn_minutes INTEGER DEFAULT 0 NOT NULL")
    op.execute("ALTER TABLE roll_calls ADD COLUMN quiet_first INTEGER")
    op.execute("ALTER TABLE roll_calls ADD COLUMN quiet_last INTEGER")
    op.execute(
        "CREATE TABLE kinds (id INTEGER NOT NULL, name TEXT NOT NULL, comes TEXT NOT NULL, factory TEXT NOT NULL, "
        "page TEXT NOT NULL, reset TEXT NOT NULL, store TEXT NOT NULL, fields JSON NOT NULL, notation TEXT NOT NULL, "
        "role TEXT NOT NULL, notes TEXT NOT NULL, CONSTRAINT pk_kinds PRIMARY KEY (id), UNIQUE (name))"
    )
    op.execute(
        "CREATE TABLE fittings (id INTEGER NOT NULL, site INTEGER NOT NULL, kind INTEGER, role TEXT NOT NULL, "
        "place TEXT NOT NULL, who TEXT NOT NULL, opened_at BIGINT NOT NULL, touched_at BIGINT NOT NULL, closed_at BIGINT, "
        "CONSTRAINT pk_fittings PRIMARY KEY (id))"
    )
    op.execute(
        "CREATE TABLE fitted (id INTEGER NOT NULL, fitting INTEGER NOT NULL, mac BIGINT NOT NULL, name TEXT NOT NULL, "
        "address BIGINT, assignment INTEGER, made BOOLEAN NOT NULL, undo JSON NOT NULL, "
        "state TEXT NOT NULL, progress JSON NOT NULL, closed_at BIGINT, "
        "CONSTRAINT pk_fitted PRIMARY KEY (id), "
        "CONSTRAINT fk_fitted_fitting FOREIGN KEY(fitting) REFERENCES fittings (id))"
    )
    op.execute("CREATE INDEX ix_fitted_fitting ON fitted (fitting)")
    op.execute("CREATE INDEX ix_fitted_mac ON fitted (mac)")
    op.execute(
        "CREATE TABLE fitting_notes (id INTEGER NOT NULL, fitted INTEGER NOT NULL, at BIGINT NOT NULL, step TEXT NOT NULL, "
        "said TEXT NOT NULL, CONSTRAINT pk_fitting_notes PRIMARY KEY (id), "
        "CONSTRAINT fk_fitting_notes_fitted FOREIGN KEY(fitted) REFERENCES fitted (id))"
    )
    op.execute("CREATE INDEX ix_fitting_notes_fitted ON fitting_notes (fitted)")


def downgrade() -> None:
    """Old versions are served by the copy made before the migration."""
    raise NotImplementedError("restore the copy in backups/")
