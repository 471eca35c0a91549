"""Deliveries that are made, files that are verified, folders that are watched."""
