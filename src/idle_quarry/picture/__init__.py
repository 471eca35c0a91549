"""Pictures as arrays: bars, ident, code values."""
