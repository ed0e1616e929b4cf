"""Scans that people and schedules order, while they run."""
