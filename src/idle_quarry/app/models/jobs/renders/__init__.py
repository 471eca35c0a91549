"""How the pieces of a job's timelines stand, and what is made of them."""
