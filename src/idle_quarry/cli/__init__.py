"""The command line: the core without a window."""
