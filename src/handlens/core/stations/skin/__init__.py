"""Skin: joints, bind matrices and weights."""
