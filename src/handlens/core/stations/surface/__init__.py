"""Surface: polygons, holes, doubles, and how they are mended."""
