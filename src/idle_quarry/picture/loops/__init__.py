"""Loops over samples, compiled by Numba and kept on disk. Read when a picture is first converted, and not before.

Each takes the first row it makes and the row after the last, so that strips of a picture go to several threads.
"""
