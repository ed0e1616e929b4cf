"""Protocol messages as bytes: codecs without I/O. Bad input raises WireError and nothing else."""
