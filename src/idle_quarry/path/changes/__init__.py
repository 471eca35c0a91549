"""Edits of templates, what they do, and how those of two people are merged."""
