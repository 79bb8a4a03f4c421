"""The route: every station in order, those of the house too, and mends played along it."""
