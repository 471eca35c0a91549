"""Larkmoor Finishing, a made-up facility: its templates, its people, its computed clips."""
