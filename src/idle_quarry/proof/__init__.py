"""Proof: conversions on real pictures, codecs on this machine, disks as they are."""
