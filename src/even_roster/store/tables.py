"""The tables. Every change here needs a migration beside it; a test compares the two.

`devices` carries, beside what people entered, a summary of what was observed (the columns from `seen_name` on): it
is rewritten by `summaries` whenever sightings come in, so that lists sort, filter and search on one table's indexes.
"""

from __future__ import annotations

from sqlalchemy import JSON, BigInteger, Boolean, Column, Float, ForeignKey, Index, Integer, MetaData, Table, Text, text

from .address_column import NO_ADDRESS, AddressNumber

metadata = MetaData(
    naming_convention={
        "ix": "ix_%(column_0_label)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s",
        "pk": "pk_%(table_name)s",
    }
)

NO_MAC = 1 << 49
NO_NAME = "\uffff"

devices = Table(
    "devices", metadata,
    Column("id", Integer, primary_key=True),
    Column("version", Integer, nullable=False, default=1),
    Column("name", Text, nullable=False, default=""),
    Column("role", Text, nullable=False, default=""),
    Column("owner", Text, nullable=False, default=""),
    Column("place", Text, nullable=False, default=""),
    Column("notes", Text, nullable=False, default=""),
    Column("retired", Boolean, nullable=False, default=False),
    Column("created_at", BigInteger, nullable=False),
    Column("seen_name", Text, nullable=False, default=""),
    Column("called", Text, nullable=False, default="", server_default=""),
    Column("called_because", Text, nullable=False, default="", server_default=""),
    Column("vouched", Boolean, nullable=False, default=False, server_default=text("0")),
    Column("address", AddressNumber, nullable=False, default=NO_ADDRESS),
    Column("mac", BigInteger, nullable=False, default=NO_MAC),
    Column("macs", Integer, nullable=False, default=0),
    Column("vendor", Text, nullable=False, default=""),
    Column("local", Boolean, nullable=False, default=False),
    Column("ports", JSON, nullable=False, default=list),
    Column("first_seen", BigInteger, nullable=False, default=0),
    Column("last_seen", BigInteger, nullable=False, default=0),
    Column("sort_name", Text, nullable=False, default=NO_NAME),
    Column("search", Text, nullable=False, default=""),
    Column("heard", BigInteger, nullable=False, default=0, server_default="0"),
)  # fmt: skip
for _column in ("sort_name", "address", "vendor", "role", "owner", "last_seen", "first_seen", "mac", "search"):
    Index(f"ix_devices_{_column}", devices.c.retired, devices.c[_column], devices.c.id)

adapters = Table(
    "adapters", metadata,
    Column("id", Integer, primary_key=True),
    Column("device_id", ForeignKey("devices.id"), nullable=False, index=True),
    Column("mac", BigInteger, nullable=False, unique=True),
    Column("label", Text),
    Column("first_seen", BigInteger, nullable=False),
    Column("last_seen", BigInteger, nullable=False),
    Column("heard", BigInteger, nullable=False, default=0, server_default="0"),
)  # fmt: skip

segments = Table(
    "segments", metadata,
    Column("id", Integer, primary_key=True),
    Column("fingerprint", Text, nullable=False, unique=True),
    Column("adapter", Text, nullable=False),
    Column("subnet", Text, nullable=False),
    Column("gateway", AddressNumber),
    Column("first_seen", BigInteger, nullable=False),
    Column("last_seen", BigInteger, nullable=False),
    Column("site_id", ForeignKey("sites.id")),
    Column("gateway_mac", BigInteger),
)  # fmt: skip

ranges = Table(
    "ranges", metadata,
    Column("id", Integer, primary_key=True),
    Column("segment_id", ForeignKey("segments.id"), nullable=False, index=True),
    Column("version", Integer, nullable=False, default=1),
    Column("text", Text, nullable=False),
    Column("name", Text, unique=True),
    Column("last_scan", BigInteger),
)  # fmt: skip

stays = Table(
    "stays", metadata,
    Column("id", Integer, primary_key=True),
    Column("segment_id", ForeignKey("segments.id"), nullable=False),
    Column("address", AddressNumber, nullable=False),
    Column("mac", BigInteger),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger, nullable=False),
    Column("sightings", Integer, nullable=False),
    Column("sources", Integer, nullable=False),
    Column("widest", BigInteger),
    Column("reason", Integer, nullable=False, default=0, server_default="0"),
    Column("heard", BigInteger, nullable=False, default=0, server_default="0"),
    Index("ix_stays_address", "address", "last"),
    Index("ix_stays_mac", "mac", "last"),
)  # fmt: skip

name_stays = Table(
    "name_stays", metadata,
    Column("id", Integer, primary_key=True),
    Column("address", AddressNumber, nullable=False),
    Column("mac", BigInteger, nullable=False),
    Column("name", Text, nullable=False),
    Column("key", Text, nullable=False, index=True),
    Column("source", Text, nullable=False),
    Column("first", BigInteger, nullable=False),
    Column("last", BigInteger, nullable=False),
    Index("ix_name_stays_what", "mac", "address", "source", "name", unique=True),
    Index("ix_name_stays_address", "address"),
)  # fmt: skip

scans = Table(
    "scans", metadata,
    Column("id", Integer, primary_key=True),
    Column("state", Text, nullable=False, index=True),
    Column("segment_id", ForeignKey("segments.id"), nullable=False),
    Column("door", Text, nullable=False),
    Column("adapter", Text, nullable=False),
    Column("targets", Text, nullable=False),
    Column("total", Integer, nullable=False),
    Column("options", JSON, nullable=False),
    Column("probes", Integer, nullable=False, default=0),
    Column("started", BigInteger, nullable=False),
    Column("ended", BigInteger),
    Column("answered", Integer, nullable=False, default=0),
    Column("foreign", Integer, nullable=False, default=0),
    Column("notes", JSON, nullable=False, default=list),
    Column("who", Text, nullable=False),
)  # fmt: skip

scan_results = Table(
    "scan_results", metadata,
    Column("scan_id", ForeignKey("scans.id", ondelete="CASCADE"), primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("by", Integer, nullable=False),
    Column("macs", JSON, nullable=False),
    Column("names", JSON, nullable=False),
    Column("ports", JSON, nullable=False),
    Column("rtt_min", Float),
    Column("rtt_avg", Float),
    Column("foreign", Boolean, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

changes = Table(
    "changes", metadata,
    Column("id", Integer, primary_key=True),
    Column("at", BigInteger, nullable=False),
    Column("who", Text, nullable=False),
    Column("action", Text, nullable=False),
    Column("kind", Text, nullable=False),
    Column("item", Text, nullable=False),
    Column("before", JSON),
    Column("after", JSON),
    Column("together", Text),
    Column("undoes", Integer, index=True),
    Index("ix_changes_item", "kind", "item"),
)  # fmt: skip

change_items = Table(
    "change_items", metadata,
    Column("id", Integer, primary_key=True),
    Column("change_id", ForeignKey("changes.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("kind", Text, nullable=False),
    Column("item", Integer, nullable=False),
    Column("before", JSON),
    Column("after", JSON),
    Column("key", Text),
    Index("ix_change_items_item", "kind", "item"),
)  # fmt: skip

change_devices = Table(
    "change_devices", metadata,
    Column("device", Integer, primary_key=True),
    Column("change_id", ForeignKey("changes.id", ondelete="CASCADE"), primary_key=True, index=True),
    sqlite_with_rowid=False,
)  # fmt: skip

sites = Table(
    "sites", metadata,
    Column("id", Integer, primary_key=True),
    Column("version", Integer, nullable=False, default=1),
    Column("name", Text, nullable=False, unique=True),
    Column("here", Boolean, nullable=False, default=False),
    Column("notes", Text, nullable=False, default=""),
)  # fmt: skip

subnets = Table(
    "subnets", metadata,
    Column("id", Integer, primary_key=True),
    Column("version", Integer, nullable=False, default=1),
    Column("site", ForeignKey("sites.id"), nullable=False),
    Column("name", Text, nullable=False, default=""),
    Column("first", AddressNumber, nullable=False),
    Column("prefix", Integer, nullable=False),
    Column("gateway", AddressNumber),
    Column("dns", JSON, nullable=False, default=list),
    Column("domain", Text, nullable=False, default=""),
    Column("ntp", JSON, nullable=False, default=list),
    Column("vlan", Integer),
    Column("supernet", Boolean, nullable=False, default=False),
    Column("notes", Text, nullable=False, default=""),
    Index("ix_subnets_range", "site", "first", "prefix", unique=True),
)  # fmt: skip

bands = Table(
    "bands", metadata,
    Column("id", Integer, primary_key=True),
    Column("version", Integer, nullable=False, default=1),
    Column("subnet", ForeignKey("subnets.id"), nullable=False, index=True),
    Column("kind", Text, nullable=False),
    Column("first", AddressNumber, nullable=False),
    Column("last", AddressNumber, nullable=False),
    Column("name", Text, nullable=False, default=""),
    Column("roles", JSON, nullable=False, default=list),
    Column("options", JSON, nullable=False, default=dict),
    Column("server", ForeignKey("dhcp_servers.id")),
    Column("notes", Text, nullable=False, default=""),
)  # fmt: skip

assignments = Table(
    "assignments", metadata,
    Column("id", Integer, primary_key=True),
    Column("version", Integer, nullable=False, default=1),
    Column("site", ForeignKey("sites.id"), nullable=False),
    Column("subnet", ForeignKey("subnets.id"), nullable=False),
    Column("address", AddressNumber, nullable=False),
    Column("kind", Text, nullable=False),
    Column("mac", BigInteger, index=True),
    Column("name", Text, nullable=False, default=""),
    Column("note", Text, nullable=False, default=""),
    Column("on", Boolean, nullable=False, default=True),
    Column("device", ForeignKey("devices.id"), index=True),
    Index("ix_assignments_address", "site", "address", unique=True),
    Index("ix_assignments_subnet", "subnet", "address"),
)  # fmt: skip

reviews = Table(
    "reviews", metadata,
    Column("id", Integer, primary_key=True),
    Column("device", ForeignKey("devices.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("kind", Text, nullable=False),
    Column("said", Text, nullable=False),
    Column("at", BigInteger, nullable=False),
)  # fmt: skip

uses = Table(
    "uses", metadata,
    Column("id", Integer, primary_key=True),
    Column("version", Integer, nullable=False, default=1),
    Column("site", ForeignKey("sites.id"), nullable=False),
    Column("user", Text, nullable=False),
    Column("address", AddressNumber, nullable=False),
    Column("purpose", Text, nullable=False),
    Column("moved_to", AddressNumber),
    Index("ix_uses_address", "site", "address"),
)  # fmt: skip

role_rules = Table(
    "role_rules", metadata,
    Column("name", Text, primary_key=True),
    Column("on_pool", Text, nullable=False),
    Column("travels", Boolean, nullable=False, default=False),
)  # fmt: skip

dhcp_servers = Table(
    "dhcp_servers", metadata,
    Column("id", Integer, primary_key=True),
    Column("version", Integer, nullable=False, default=1),
    Column("site", ForeignKey("sites.id"), nullable=False),
    Column("name", Text, nullable=False, unique=True),
    Column("kind", Text, nullable=False),
    Column("settings", JSON, nullable=False, default=dict),
    Column("owned", JSON, nullable=False, default=dict),
    Column("refusals", JSON, nullable=False, default=dict),
    Column("published_at", BigInteger),
    Column("read_at", BigInteger),
    Column("trouble", Text, nullable=False, default=""),
    Column("addresses", JSON, nullable=False, default=list, server_default="[]"),
    Column("holdings_at", BigInteger),
    Column("holdings_trouble", Text, nullable=False, default="", server_default=""),
    Column("drift", JSON, nullable=False, default=dict, server_default="{}"),
    Column("begun", JSON, nullable=False, default=dict, server_default="{}"),
    Column("sheet", Text, nullable=False, default="", server_default=""),
    Column("shown", JSON, nullable=False, default=dict, server_default="{}"),
)  # fmt: skip

holdings = Table(
    "holdings", metadata,
    Column("server", ForeignKey("dhcp_servers.id", ondelete="CASCADE"), primary_key=True),
    Column("number", Integer, primary_key=True),
    Column("part", Text, nullable=False),
    Column("source", Text, nullable=False),
    Column("line", Integer, nullable=False),
    Column("text", Text, nullable=False),
    Column("within", Text, nullable=False),
    Column("first", AddressNumber),
    Column("last", AddressNumber),
    Column("identifiers", JSON, nullable=False),
    Column("name", Text, nullable=False),
    Column("hangs", JSON, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

leases = Table(
    "leases", metadata,
    Column("server", ForeignKey("dhcp_servers.id", ondelete="CASCADE"), primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("mac", BigInteger, index=True),
    Column("name", Text, nullable=False, default=""),
    Column("expires", BigInteger),
    Column("since", BigInteger),
    Index("ix_leases_address", "address"),
    sqlite_with_rowid=False,
)  # fmt: skip

dhcp_versions = Table(
    "dhcp_versions", metadata,
    Column("id", Integer, primary_key=True),
    Column("server", ForeignKey("dhcp_servers.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("at", BigInteger, nullable=False),
    Column("texts", JSON, nullable=False),
    Column("before", Text, nullable=False),
    Column("meaning", Text, nullable=False),
    Column("owned", JSON, nullable=False),
    Column("after", Text, nullable=False),
)  # fmt: skip

published = Table(
    "published", metadata,
    Column("server", ForeignKey("dhcp_servers.id", ondelete="CASCADE"), primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("mac", BigInteger, nullable=False),
    Column("name", Text, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

findings = Table(
    "findings", metadata,
    Column("id", Integer, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("key", Text, nullable=False),
    Column("severity", Text, nullable=False),
    Column("subjects", JSON, nullable=False),
    Column("evidence", JSON, nullable=False),
    Column("remedy", Text, nullable=False),
    Column("steps", JSON, nullable=False),
    Column("state", Text, nullable=False, index=True),
    Column("since", BigInteger, nullable=False),
    Column("first", BigInteger, nullable=False),
    Column("times", Integer, nullable=False),
    Column("closed", BigInteger),
    Column("updated", BigInteger, nullable=False),
    Column("heard", Boolean, nullable=False, server_default=text("0")),
    Index("ix_findings_name", "kind", "key", unique=True),
)  # fmt: skip

finding_turns = Table(
    "finding_turns", metadata,
    Column("id", Integer, primary_key=True),
    Column("finding_id", ForeignKey("findings.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("at", BigInteger, nullable=False, index=True),
    Column("turn", Text, nullable=False),
    Column("said", Text, nullable=False, default=""),
)  # fmt: skip

acceptances = Table(
    "acceptances", metadata,
    Column("kind", Text, primary_key=True),
    Column("key", Text, primary_key=True),
    Column("reason", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("at", BigInteger, nullable=False),
    Column("until", BigInteger),
    Column("macs", JSON(none_as_null=True)),
    sqlite_with_rowid=False,
)  # fmt: skip

router_members = Table(
    "router_members", metadata,
    Column("site", ForeignKey("sites.id", ondelete="CASCADE"), primary_key=True),
    Column("address", AddressNumber, primary_key=True),
    Column("mac", BigInteger, primary_key=True),
    Column("who", Text, nullable=False),
    Column("at", BigInteger, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

watches = Table(
    "watches", metadata,
    Column("subnet", ForeignKey("subnets.id", ondelete="CASCADE"), primary_key=True),
    Column("on", Boolean, nullable=False, default=True),
    Column("every_minutes", Integer, nullable=False),
    Column("light_minutes", Integer, nullable=False),
    Column("ask_minutes", Integer, nullable=False),
    Column("quiet_first", Integer),
    Column("quiet_last", Integer),
    Column("strangers", Text, nullable=False),
)  # fmt: skip

notice_routes = Table(
    "notice_routes", metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("kind", Text, nullable=False),
    Column("settings", JSON, nullable=False),
    Column("secret", Text, nullable=False, default=""),
    Column("least", Text, nullable=False),
    Column("on", Boolean, nullable=False, default=True),
    Column("sent_at", BigInteger),
    Column("trouble", Text, nullable=False, default=""),
)  # fmt: skip

pool_uses = Table(
    "pool_uses", metadata,
    Column("band", ForeignKey("bands.id", ondelete="CASCADE"), primary_key=True),
    Column("at", BigInteger, primary_key=True),
    Column("used", Integer, nullable=False),
    Column("size", Integer, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

kept_settings = Table(
    "kept_settings", metadata,
    Column("name", Text, primary_key=True),
    Column("value", JSON, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip

roll_calls = Table(
    "roll_calls", metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("every_seconds", Integer, nullable=False),
    Column("lines", JSON, nullable=False),
    Column("warn_minutes", Integer, nullable=False, server_default=text("0")),
    Column("quiet_first", Integer),
    Column("quiet_last", Integer),
)  # fmt: skip

own_prefixes = Table(
    "own_prefixes", metadata,
    Column("prefix", BigInteger, primary_key=True),
    Column("length", Integer, primary_key=True),
    Column("name", Text, nullable=False),
)  # fmt: skip

loaded_blocks = Table(
    "loaded_blocks", metadata,
    Column("prefix", BigInteger, primary_key=True),
    Column("length", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    sqlite_with_rowid=False,
)  # fmt: skip
