"""What a script on the reference library does with the same file: load, weld, and the topology that an inspection needs."""

import sys

import trimesh

mesh = trimesh.load(sys.argv[1], process=False).to_mesh()
mesh.merge_vertices(merge_tex=True, merge_norm=True)
print(mesh.bounds.tolist(), len(mesh.face_adjacency), mesh.is_watertight, mesh.is_winding_consistent, mesh.body_count)
