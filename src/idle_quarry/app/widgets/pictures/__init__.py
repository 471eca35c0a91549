"""Pictures to look at: of a clip, on the bench, on a monitor, in the player."""
