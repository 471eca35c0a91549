"""The Path: one template, its strip, sheets, evidence and findings."""
