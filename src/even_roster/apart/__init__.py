"""Work on files that anybody may have made: done in a process of its own, which may take so much memory and time and no more."""
