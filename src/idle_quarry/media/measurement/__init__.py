"""What clips really are: fields, levels, active picture and sound, and where that parts from what they declare."""
