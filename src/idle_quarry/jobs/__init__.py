"""Jobs: started from a revision of a template, and checked against it."""
