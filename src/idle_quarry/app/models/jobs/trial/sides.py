"""The sides of a trial: what its player shows and its keys act upon."""

#: A clip, or one of the two timelines.
CLIPS, UPPER, LOWER = "clip", "upper", "lower"
