"""Project templates for finishing, seen as signal paths."""

__version__ = "0.1.0"
