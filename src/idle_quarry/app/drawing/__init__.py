"""Painters: values in, paint out; and the geometry they go by, as values of their own."""
