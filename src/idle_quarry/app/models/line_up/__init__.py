"""The monitoring output and what monitors make of it; recording from a deck."""
