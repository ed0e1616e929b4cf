"""Whose block a MAC lies in: vendor data and the site's own prefixes."""
