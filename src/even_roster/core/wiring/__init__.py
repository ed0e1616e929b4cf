"""How switches hang together: the links between their ports, the ways through them, and how they are drawn. Pure."""
