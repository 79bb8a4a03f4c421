"""Motion: clips, and what they drive."""
