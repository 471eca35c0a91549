"""The Library: the shelves, and the pages that take the whole view."""
