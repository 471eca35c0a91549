"""The serial digital signal as words: written, read, and the stand-ins that send and receive it."""
