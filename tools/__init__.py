"""Programs for developers: the console's types, the pictures of the docs, system packages."""
