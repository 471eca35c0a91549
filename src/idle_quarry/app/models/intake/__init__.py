"""Clips that are looked at and held against a template, and a working format from two ends."""
