"""DHCP servers: read, compared, published to, followed."""
