"""The computation: value types and pure functions. No I/O, no clock, no framework, nothing of ours imported."""
