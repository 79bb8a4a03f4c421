"""What a script on the reference library does with the same file: load, weld, and the topology that an inspection needs."""

import sys

import trimesh

scene = trimesh.load(sys.argv[1], process=False)
mesh = scene.to_mesh() if hasattr(scene, "to_mesh") else scene
mesh.merge_vertices()
print(mesh.bounds.tolist(), len(mesh.face_adjacency), mesh.is_watertight, mesh.is_winding_consistent, mesh.body_count)
