"""A library on the facility's PostgreSQL server: set up, opened, listened to, and kept at hand when it is away."""

from idle_quarry.library.server.opening import ServerLibrary, open_server

__all__ = ["ServerLibrary", "open_server"]
