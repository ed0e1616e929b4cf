"""Findings: their views, remedies, and the notices that leave the house."""
