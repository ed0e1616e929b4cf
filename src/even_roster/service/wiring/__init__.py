"""How switches hang together: links, paths, the map."""
