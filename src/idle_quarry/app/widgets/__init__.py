"""Small widgets that the views share."""
