"""Lanes to scale of time: of timelines, lists of cuts, renders and verified files."""
