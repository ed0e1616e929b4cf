"""What people write: the things that they name, and the values they give."""
