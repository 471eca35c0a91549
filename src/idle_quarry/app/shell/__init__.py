"""The window itself: its bars, its views, its commands, their search."""
