"""Findings: what is wrong or needs a decision, worked out from what is planned, leased and seen. Pure."""
