"""What switches say of themselves: the values, and how they are read out of what an agent answered. Pure."""
