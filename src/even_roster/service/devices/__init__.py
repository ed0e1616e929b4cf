"""Devices: edits, sheets, and where two records of one device said different things."""
