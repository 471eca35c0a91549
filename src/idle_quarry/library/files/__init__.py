"""Templates and entries in files: written, read, bundled, taken onto a shelf, on paper, in tables; their schema."""
