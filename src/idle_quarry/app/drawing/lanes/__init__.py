"""Lanes of timelines, cuts, renders and files as they are painted."""
