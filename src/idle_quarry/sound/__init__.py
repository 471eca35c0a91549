"""Sound: line-up tone and ident."""
