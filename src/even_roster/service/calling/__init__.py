"""Roll calls: whom to look for again and again, and what came of it."""
