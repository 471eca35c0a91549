"""Who works here, on which server, with which other machines."""
