"""How far two figures may lie apart and still count as the same: what the number type can hold that they went through.

A 32-bit float holds 24 bits of a number and a 64-bit float 53 (IEEE 754-2019, table 3.5). What is multiplied out on its way, as
turns are, is given a few steps more.
"""

from __future__ import annotations

#: Two steps of a 32-bit float at 1, and 64 of a 64-bit float, as text is often cut behind the fourteenth digit.
SINGLE, DOUBLE = 2.0**-22, 2.0**-46

#: In steps of the positions' number type: of the farthest coordinate, of the whole's extent, of a matrix's largest entry.
PLACES, EXTENT, MATRIX = 2, 8, 16
#: A matrix is never compared more closely than this.
MATRIX_LEAST = 1e-9
#: UVs are never compared more closely than this; normals, tangents and colours by SINGLE.
UV_LEAST = 2.0**-40
#: In steps of a 32-bit float: offsets of a target's normals.
TARGET_NORMALS = 4
WEIGHT = 1e-6
UNIT = 1e-9
SECONDS = 1e-4
#: Of a motion's reach: keys went through 32-bit floats, some through matrices and back.
MOTION = 4e-6
CUSTOM = 1e-12
#: Values of materials, cameras and lights, some of which went through degrees, or through the curve of sRGB.
VALUE = 2e-6

#: (what, within what) for docs/proof.md.
TOLD = (
    ("Places of corners, lines and points", f"{PLACES} steps × the farthest coordinate of the part"),
    ("Height, width, depth, middle", f"{EXTENT} steps × the farthest coordinate of the whole"),
    (
        "Local transforms and pivots, bind matrices",
        f"{MATRIX} steps × the largest entry, turns and places each by themselves; at least {MATRIX_LEAST:g}",
    ),
    ("Normals, tangents, vertex colours", f"{SINGLE:.3g} × the value, at least of 1"),
    ("UV coordinates", f"one step × the value, at least of 1; at least {UV_LEAST:.3g}"),
    ("Offsets of morph targets", f"{PLACES} steps × the farthest offset; those of normals {TARGET_NORMALS * SINGLE:.3g}"),
    ("Skin weights, how far a target is on", f"{WEIGHT:g}"),
    ("Unit", f"{UNIT:g} of it"),
    ("Length of a clip", f"{SECONDS:g} s"),
    (
        "Motion, at all keys of both and between them",
        f"{MOTION:g} × how far the channel reaches; rotations and weights at least of 1",
    ),
    ("Values of materials, cameras and lights", f"{VALUE:g} × the value, at least of 1"),
    ("Custom properties", f"{CUSTOM:g} × the value, at least of 1"),
    ("Pixels, files beside the model, names, faces, slots, joints, parents", "nothing: they are the same, or they differ"),
)
