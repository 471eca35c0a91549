"""Intake: clips, what they declare, what they are."""
