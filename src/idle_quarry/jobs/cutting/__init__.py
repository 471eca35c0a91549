"""Timelines as values: what they hold, how they are edited, how they are written to other programs' files and read
from them.
"""
