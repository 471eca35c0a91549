"""A server for the whole run, and a library set up on it for each test that asks."""

from tests.servers import house, server

__all__ = ["house", "server"]
