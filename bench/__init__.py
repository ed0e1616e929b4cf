"""Speed and memory, as ratios to floors that are taken in the same run. `python -m bench` prints the table."""
