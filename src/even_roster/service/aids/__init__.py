"""Small aids that know nothing of the roster: work that repeats, threads that are watched over, secrets at rest."""
