"""Switches: reading their agents."""
