"""Lists of cuts from elsewhere, matched with a job's clips."""
