"""What a person does to the library and to the house's entries."""
