"""USD in text, binary and package."""
