"""The records: SQLite through SQLAlchemy. Times are UTC milliseconds, addresses and MACs integers."""
