"""The four views, in the order of the work."""
