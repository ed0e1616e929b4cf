"""Engines that look at a network, and the doors through which they do. Engines do no I/O; segments do nothing else."""
