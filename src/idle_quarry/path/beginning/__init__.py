"""Where templates, their sources and their deliveries begin."""
