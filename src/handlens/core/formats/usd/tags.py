"""Marks that our writer of USD leaves in custom data, so that what a stage has to take apart is found again as it was.

They say nothing that the stage does not say itself: a mark that does not agree with what stands beside it is passed over.
"""

#: On the prim that stands over a whole model, since a stage wants one.
WRAPPER = "handlens:wrapper"
#: On a prim that is a piece of the node above it: its mesh, lines, points, camera or light.
PIECE = "handlens:piece"
#: On what had no name.
UNNAMED = "handlens:unnamed"
#: Name of a mesh, where its node has another.
MESH_NAME = "handlens:mesh"
#: On a skeleton: paths of the prims that its joints are.
NODES = "handlens:nodes"
#: In the layer's data: name of the clip that the timeline is.
CLIP = "handlens:clip"

#: Ends the name of the folder that a package is unpacked to.
UNPACKED = ".unpacked"
