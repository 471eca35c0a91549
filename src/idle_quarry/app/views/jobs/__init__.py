"""Jobs: those that were started, and the start of another."""
