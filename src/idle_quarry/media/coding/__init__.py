"""Clips converted and written with the real encoders."""
