"""Algorithms on meshes and arrays that know no scene around them."""
