"""The open template: its settings, its stations, its structure."""
