"""A link on the bench, codecs that are run, disks that are measured."""
