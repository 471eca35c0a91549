"""A module for each version of the library's schema."""
