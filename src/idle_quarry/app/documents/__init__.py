"""The templates that are open, and what is unsaved of them."""
