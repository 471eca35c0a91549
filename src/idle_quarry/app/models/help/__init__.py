"""The guide inside the window, and what this program is."""
