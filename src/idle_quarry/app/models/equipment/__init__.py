"""The house's own entries: monitors, specs, codecs, layouts."""
