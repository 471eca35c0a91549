"""Loops over samples that Numba compiles: how they are declared, where their code is kept, and how it is made ahead
of use.
"""
