"""Proof: pictures, codecs, disks."""
