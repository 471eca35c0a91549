"""Scopes, meters and the wire of a signal."""
