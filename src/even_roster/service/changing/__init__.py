"""Recorded edits, and taking them back."""
