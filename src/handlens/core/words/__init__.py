"""Figures, lengths, directions and calls as people read and write them."""
