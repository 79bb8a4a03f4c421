"""Materials, colour, pictures, opacity and shine: how a surface looks."""
