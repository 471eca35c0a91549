"""Whole files measured in one go: every picture and all sound, each finding with its places."""
