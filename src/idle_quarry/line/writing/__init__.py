"""Pictures, sound and packets laid into the words of a line."""
