"""DHCP servers as counterparts: read their configuration and leases, publish to them, verify, roll back."""
