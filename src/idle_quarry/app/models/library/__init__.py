"""The shelves: what is searched and chosen, tables, reviews, files that come and go."""
