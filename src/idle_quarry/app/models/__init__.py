"""What the views show, and what is done there: models that know no widget, owned by the desk."""
