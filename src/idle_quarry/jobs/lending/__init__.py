"""Work that machines of a house do for one another: tasks on its server, places that each proves it can reach, who
lends itself when.
"""
