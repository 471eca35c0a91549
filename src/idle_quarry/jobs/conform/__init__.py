"""Lists of cuts from elsewhere: read, held against the template, matched with the clips there are, and whether what
lacks matters.
"""
