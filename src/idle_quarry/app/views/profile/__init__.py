"""The profile of whoever works here."""
