"""The stations of the route, each in a folder of its own."""
