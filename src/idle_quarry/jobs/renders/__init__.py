"""Renders: pieces of a job's timelines kept in the intermediate codec, each known by what it is made of."""
