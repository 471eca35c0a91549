"""The commands: a module for one or a few of a kind, each command with its arguments and its function."""
