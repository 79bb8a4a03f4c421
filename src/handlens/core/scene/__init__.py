"""The neutral scene: faithful before convenient."""

from .model import (
    Camera,
    Channel,
    Clip,
    Image,
    Layer,
    Light,
    Material,
    Mesh,
    Morph,
    Neighbour,
    Node,
    Problem,
    Scene,
    Skin,
    TextureInput,
    Weights,
)

__all__ = [
    "Camera",
    "Channel",
    "Clip",
    "Image",
    "Layer",
    "Light",
    "Material",
    "Mesh",
    "Morph",
    "Neighbour",
    "Node",
    "Problem",
    "Scene",
    "Skin",
    "TextureInput",
    "Weights",
]
