"""Size: how big it will stand, and which way up."""
