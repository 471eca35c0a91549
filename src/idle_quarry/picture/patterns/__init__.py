"""Test pictures of known values: bars, ident, charts."""
