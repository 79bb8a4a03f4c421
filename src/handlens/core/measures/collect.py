"""Take every measure of a scene, mesh by mesh, telling how far it is."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from ..scene import Mesh, Scene
from ..scene.model import Array
from ..scene.transforms import Polar, apply, parents, quaternion_matrix, walk, world_matrices
from .known import Known, content_key
from .pictures import picture
from .precision import float32_spacing
from .records import (
    ClipFigures,
    ImageFigures,
    MaterialFigures,
    Measures,
    MeshFigures,
    NodeFigures,
    PartFigures,
    ProblemRecord,
    SkinFigures,
)
from .topology import PIECES_UP_TO, connected_pieces, gpu_vertices, loose_point_indices, surface

Progress = Callable[[str, float], None]


def _silent(phase: str, share: float) -> None:
    return None


def collect(scene: Scene, progress: Progress = _silent, known: Known | None = None) -> Measures:
    """Measure a scene. `progress` is called with a phase in words and the share done, 0 to 1.

    known: earlier measures; a mesh whose content they hold is taken over from there instead of being measured again, and
    `known.fresh` then says how many were not. The result is the same either way but for the digests that it holds.
    """
    order = walk(scene)
    world = world_matrices(scene)
    placed = [i for i in order if scene.nodes[i].mesh is not None]
    arrays: dict[str, Array] = {}
    twins = _possible_twins(scene)
    meshes = []
    for k, mesh in enumerate(scene.meshes):
        progress("measuring meshes", k / len(scene.meshes))
        alone = len(scene.meshes) == 1
        digest = content_key(mesh) if known is not None else None
        taken = known.take(digest, mesh, k, arrays, k in twins, alone) if known is not None and digest else None
        meshes.append(taken or replace(_mesh(mesh, k, arrays, k in twins, alone), content=digest))
    progress("placing parts", 0.0)
    parts = [_part(scene, i, world[i]) for i in placed]
    pictures = []
    users = _image_users(scene)
    for k, image in enumerate(scene.images):
        progress("opening images", k / len(scene.images))
        figures = picture(image)
        pictures.append(
            ImageFigures(
                image.reference, image.status, image.found_at, *figures[:6], used_by=users[k], unreadable=figures.unreadable
            )
        )
    low = [p.bounds_min for p in parts if p.bounds_min is not None]
    high = [p.bounds_max for p in parts if p.bounds_max is not None]
    nodes = _nodes(scene, order, world)
    progress("measured", 1.0)
    return Measures(
        format=scene.format,
        unit_metres=scene.unit_metres,
        up_axis=scene.up_axis,
        nodes=nodes,
        parts=parts,
        meshes=meshes,
        materials=_materials(scene),
        images=pictures,
        skins=[SkinFigures(s.name, list(s.joints), [scene.nodes[j].name for j in s.joints]) for s in scene.skins],
        clips=[ClipFigures(c.name, c.seconds, len(c.channels)) for c in scene.clips],
        cameras=len(scene.cameras),
        lights=len(scene.lights),
        camera_nodes=[i for i in order if scene.nodes[i].camera is not None],
        light_nodes=[i for i in order if scene.nodes[i].light is not None],
        problems=[ProblemRecord(p.kind, p.text, p.where) for p in scene.problems],
        bounds_min=np.min(low, axis=0).tolist() if low else None,
        bounds_max=np.max(high, axis=0).tolist() if high else None,
        arrays=arrays,
    )


def _mesh(mesh: Mesh, number: int, arrays: dict[str, Array], may_have_twin: bool, alone: bool) -> MeshFigures:
    top = surface(mesh)
    finite = np.isfinite(mesh.positions)
    broken = 0
    if not finite.all():
        bad = np.flatnonzero(~finite.all(axis=1)).astype(np.int32)
        broken, arrays[f"mesh:{number}:not-finite"] = len(bad), bad
    if len(mesh.lines):
        arrays[f"mesh:{number}:lines"] = mesh.lines.reshape(-1).astype(np.int32)
    if top.loose_points:
        arrays[f"mesh:{number}:points"] = loose_point_indices(mesh)
    slot_faces = (
        np.bincount(mesh.slots, minlength=len(mesh.slot_materials))
        if len(mesh.slots)
        else np.zeros(len(mesh.slot_materials), int)
    )
    undone = [k for k, m in enumerate(mesh.slot_materials) if m < 0]
    influences, off = _weights(mesh)
    good = mesh.positions if not broken else mesh.positions[finite.all(axis=1)]
    return MeshFigures(
        name=mesh.name,
        triangles=mesh.triangle_count,
        faces=mesh.face_count,
        faces_over_4=0 if mesh.only_triangles else int(np.count_nonzero(mesh.corner_counts > 4)),
        vertices=len(mesh.positions),
        welded=top.welded,
        gpu_vertices=gpu_vertices(mesh, top.welded),
        loose_edges=len(mesh.lines),
        loose_points=top.loose_points,
        closed=top.closed,
        winding_consistent=top.winding_consistent,
        zero_area_faces=top.zero_area,
        not_finite=broken,
        uv_sets=len(mesh.uvs),
        slot_faces=[int(n) for n in slot_faces],
        unassigned_faces=int(sum(slot_faces[k] for k in undone)),
        influences_max=influences,
        weights_off=off,
        morphs=len(mesh.morphs),
        pieces=connected_pieces(mesh, top.ids) if alone and 0 < mesh.face_count <= PIECES_UP_TO else None,
        bounds_min=good.min(axis=0).tolist() if len(good) else None,
        bounds_max=good.max(axis=0).tolist() if len(good) else None,
        shape_key=_shape_key(mesh) if may_have_twin else None,
    )


def _weights(mesh: Mesh) -> tuple[int, int]:
    """Most non-zero weights on one vertex, and vertices whose weights sum further than 1e-3 from 1."""
    if mesh.weights is None:
        return 0, 0
    w = mesh.weights
    counts = np.diff(w.starts)
    owner = np.repeat(np.arange(len(counts)), counts)
    sums = np.bincount(owner, weights=w.weights.astype(np.float64), minlength=len(counts))
    return int(counts.max(initial=0)), int(np.count_nonzero(~(np.abs(sums - 1) <= 1e-3)))


def _possible_twins(scene: Scene) -> set[int]:
    """Meshes that share their counts with another: only those can be copies of each other."""
    seen: dict[tuple[int, int, int], list[int]] = {}
    for k, m in enumerate(scene.meshes):
        if m.face_count:
            seen.setdefault((len(m.positions), m.face_count, len(m.corners)), []).append(k)
    return {k for group in seen.values() if len(group) > 1 for k in group}


def _shape_key(mesh: Mesh) -> str:
    """The same for meshes with the same faces over the same positions, wherever those are moved to.

    Positions are taken from the bounding box's low corner and rounded to 1e-5 of the box's diagonal, which forgives
    the rounding of a moved copy.
    """
    finite = np.nan_to_num(mesh.positions)
    low = finite.min(axis=0)
    size = float(np.linalg.norm(finite.max(axis=0) - low)) or 1.0
    snapped = np.rint((finite - low) / (size * 1e-5)).astype(np.int64)
    digest = hashlib.blake2b(digest_size=16)
    for array in (snapped, mesh.corners, mesh.starts):
        digest.update(np.ascontiguousarray(array).tobytes())
    digest.update(np.float64(f"{size:.5g}").tobytes())
    return digest.hexdigest()


def _part(scene: Scene, node: int, matrix: Array) -> PartFigures:
    n = scene.nodes[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    low = high = None
    farthest = 0.0
    if len(mesh.positions):
        with np.errstate(invalid="ignore", over="ignore"):
            points = apply(matrix, mesh.positions)
        keep = np.isfinite(points).all(axis=1)
        points = points if keep.all() else points[keep]
        if len(points):
            a, b = points.min(axis=0), points.max(axis=0)
            low, high = a.tolist(), b.tolist()
            farthest = float(np.maximum(np.abs(a), np.abs(b)).max())
    return PartFigures(
        node=node,
        name=scene.part_name(node),
        mesh=n.mesh,
        bounds_min=low,
        bounds_max=high,
        farthest=farthest,
        spacing=float32_spacing(farthest),
        skinned=n.skin is not None,
    )


def _nodes(scene: Scene, order: list[int], world: Array) -> list[NodeFigures]:
    up = parents(scene)
    joints = {j for s in scene.skins for j in s.joints}
    driven = {c.node for clip in scene.clips for c in clip.channels if c.node is not None}
    out = []
    for i in order:
        n = scene.nodes[i]
        whole = Polar(world[i][:3, :3])
        # Where the file stores a triple, its own numbers are what counts: 1, -1, -1 is a scale, not a half turn.
        local = Polar(n.local[:3, :3] if n.matrix is not None else quaternion_matrix(n.rotation))
        scale = local.scale.tolist() if n.matrix is not None else [float(s) for s in n.scale]
        kind = (
            "mesh"
            if n.mesh is not None
            else "camera"
            if n.camera is not None
            else "light"
            if n.light is not None
            else "joint"
            if i in joints
            else "group"
            if n.children
            else "empty"
        )
        out.append(
            NodeFigures(
                index=i,
                name=scene.part_name(i),
                parent=up[i],
                kind=kind,
                scale=scale,
                angle=local.angle_degrees,
                quarter_turn=local.is_quarter_turn(),
                mirrored=float(np.prod(scale)) < 0,
                shear=local.shear,
                world_shear=whole.shear,
                is_joint=i in joints,
                hidden=n.hidden,
                named=bool(n.name),
                driven=i in driven,
            )
        )
    return out


def _materials(scene: Scene) -> list[MaterialFigures]:
    faces = [0] * len(scene.materials)
    for mesh in scene.meshes:
        counts: Array = np.bincount(mesh.slots, minlength=len(mesh.slot_materials)) if len(mesh.slots) else np.zeros(0, np.int64)
        for material, count in zip(mesh.slot_materials, counts, strict=False):
            if material >= 0:
                faces[material] += int(count)
    return [
        MaterialFigures(
            m.name, faces[k], m.alpha_mode, m.double_sided, m.defined, [t.image for t in m.inputs if t.image is not None]
        )
        for k, m in enumerate(scene.materials)
    ]


def _image_users(scene: Scene) -> list[list[str]]:
    users: list[list[str]] = [[] for _ in scene.images]
    for material in scene.materials:
        for image in dict.fromkeys(t.image for t in material.inputs if t.image is not None):
            users[image].append(material.name)
    return users
