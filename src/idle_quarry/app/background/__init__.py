"""What runs beside the window: workers, loops on threads, modules loaded and compiled in a moment of rest, watched
files.
"""
