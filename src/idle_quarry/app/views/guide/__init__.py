"""The guide and what this program is, inside the window."""
