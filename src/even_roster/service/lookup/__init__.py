"""Questions about one thing: find, explain, why, history, the ruler, where this machine stands."""
