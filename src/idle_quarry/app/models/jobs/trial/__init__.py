"""Timelines that are open, edited and played."""
