"""A job's clips: their class, their state, what is brought in."""
