"""Captions beside and in pictures: read, held against the file they belong to, and moved with it."""
