"""Stand-ins for an output card, a cable, a monitor, a tape deck and a recorder."""
