"""What a receiver makes of the words of a line, and what is wrong in them."""
