"""See-through: whether the mode of a material fits the alpha that it paints with."""
