"""Evidence: what can be computed of a link, drawn."""
