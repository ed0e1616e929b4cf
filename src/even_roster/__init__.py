"""Even Roster: scans a site's ranges, knows its devices and keeps one shared roster of them."""

__version__ = "0.2.0"
