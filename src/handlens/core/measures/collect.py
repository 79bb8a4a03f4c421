"""Take every measure of a scene, mesh by mesh, telling how far it is."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from ..geometry.finite import finite_points
from ..geometry.holes import Holes, holes
from ..geometry.patches import Patches, patches
from ..geometry.topology import PIECES_UP_TO, connected_pieces, gpu_vertices, loose_point_indices, surface
from ..geometry.uv_area import UvAreas
from ..scene import Mesh, Scene
from ..scene.matrices import Polar, quaternion_matrix
from ..scene.model import HELD, Array
from ..scene.skinning import standing
from ..scene.transforms import parents, walk, world_matrices
from ..surface.opacity import mode_of
from .alpha_apart import alpha_apart
from .draw_order import draw_orders
from .facing import part_frame
from .known import Known, content_key
from .looked_at import facing_key, look, too_many
from .nudge import nudges
from .pictures import PictureFigures, header, picture, seen_before
from .precision import Worst, coarsest, links, rounded
from .records import (
    ClipFigures,
    FacingFigures,
    ImageFigures,
    Measures,
    MeshFigures,
    NodeFigures,
    PartFigures,
    ProblemRecord,
    ShownFigures,
    SkinFigures,
    UvFigures,
    WalkFigures,
)
from .shown import base_colour, shown
from .side_files import borrowed, broken_files, side_uses
from .slots import material_figures
from .surface_figures import NO_SURFACE, surface_figures
from .texel_density import densities
from .uvs import uv_figures

#: Triangles up to which a flat part may stand for a card.
_CARD = 16

Progress = Callable[[str, float], None]


def _silent(phase: str, share: float) -> None:
    return None


def collect(scene: Scene, progress: Progress = _silent, known: Known | None = None) -> Measures:
    """Measure a scene. `progress` is called with a phase in words and the share done, 0 to 1.

    known: earlier measures; a mesh whose content they hold is taken over from there instead of being measured again, and
    `known.fresh` then says how many were not. The result is the same either way but for the digests that it holds.
    """
    # A file may hold any number, of which the checks tell: nothing is to be said while measuring.
    with np.errstate(all="ignore"):
        return _collect(scene, progress, known, True)


def count(scene: Scene) -> Measures:
    """Measure what the facts of a report say and no more: nothing is looked at, no surface judged, as a proof wants it."""
    with np.errstate(all="ignore"):
        return _collect(scene, _silent, None, False)


def _collect(scene: Scene, progress: Progress, known: Known | None, whole: bool) -> Measures:
    order = walk(scene)
    world = world_matrices(scene)
    placed = [i for i in order if scene.nodes[i].mesh is not None]
    arrays: dict[str, Array] = {}
    twins = _possible_twins(scene)
    meshes = []
    stored: dict[int, int] = {}
    seen = _Seen(scene)
    alone = len(scene.meshes) == 1
    for k, mesh in enumerate(scene.meshes):
        progress("measuring meshes", 0.7 * k / len(scene.meshes))
        digest = content_key(mesh) if known is not None else None
        taken = known.take(digest, mesh, k, arrays, k in twins, alone) if known is not None and digest else None
        step = lambda share, k=k: progress("measuring meshes", 0.7 * (k + share) / len(scene.meshes))
        made = taken or _mesh(mesh, k, arrays, k in twins, alone, seen if whole else None, step)
        first = stored.setdefault(id(mesh.positions), k)
        meshes.append(replace(made, stored_as=first) if taken else replace(made, content=digest, stored_as=first))
    progress("looking at it from all round", 0.7)
    looked = seen.look(meshes, known, arrays) if whole else ([], None, None)
    progress("placing parts", 0.9)
    upright = {"X": 0, "Y": 1, "Z": 2}[scene.up_axis or "Y"]
    flat = [m.surface.flat for m in meshes]
    coarse = links(scene, order, parents(scene), world)
    parts = [_part(scene, i, world, upright, flat, coarse[i]) for i in placed]
    pictures, shown = _pictures(scene, progress, seen.areas if whole else None)
    sizes = {k: (i.width, i.height) for k, i in enumerate(pictures) if i.width and i.height}
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
        materials=material_figures(scene, shown, alpha_apart(scene, seen.areas if whole else None)),
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
        facing=looked[0],
        walk=looked[1],
        nudges=nudges(scene, world) if whole else [],
        densities=densities(scene, world, placed, sizes, seen.areas) if whole else [],
        draw_orders=draw_orders(scene, world, placed) if whole else [],
        side_uses=side_uses(scene) if whole else [],
        side_files=[n.path for n in scene.beside if n.role == "side-file"],
        side_broken=broken_files(scene) if whole else [],
        borrowed=borrowed(scene) if whole else [],
        facing_key=looked[2],
    )


class _Seen:
    """What looking at the whole model needs of each mesh, kept from measuring it."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.patches: dict[int, Patches] = {}
        self.holes: dict[int, Holes] = {}
        self.areas = UvAreas()
        self.skip = too_many(scene)

    def look(
        self, meshes: list[MeshFigures], known: Known | None, arrays: dict[str, Array]
    ) -> tuple[list[FacingFigures], WalkFigures | None, str | None]:
        """Facing figures and the walk-round test, taken over where nothing that they hang on has changed, and their key."""
        if self.skip:
            return [], None, None
        key = facing_key(self.scene, [m.content or "" for m in meshes]) if known is not None else None
        if known is not None and key and (earlier := known.looked(key, arrays)) is not None:
            return *earlier, key
        for k, mesh in enumerate(self.scene.meshes):
            if k not in self.patches:
                top = surface(mesh, corners=True)
                self.patches[k] = patches(mesh, top.edges)
                self.holes[k] = holes(mesh, top.edges, top.ids)
        return *look(self.scene, self.patches, self.holes, arrays), key


def _mesh(
    mesh: Mesh,
    number: int,
    arrays: dict[str, Array],
    may_have_twin: bool,
    alone: bool,
    seen: _Seen | None,
    step: Callable[[float], None],
) -> MeshFigures:
    """seen: where looking at the whole model finds what it needs; None where only counts are wanted. step: told the share done."""
    top = surface(mesh, corners=seen is not None)
    step(0.2)
    shape, uvs = NO_SURFACE, list[UvFigures]()
    if seen is not None:
        joined = patches(mesh, top.edges)
        step(0.3)
        put: dict[str, Array] = {}
        shape, rims = surface_figures(mesh, top, joined, put)
        step(0.6)
        uvs = uv_figures(mesh, top.edges, top.flat, put, seen.areas, seen.scene.v_down)
        arrays.update({f"mesh:{number}:{name}": found for name, found in put.items()})
        seen.patches[number], seen.holes[number] = joined, rims
        step(0.9)
    good = finite_points(mesh.positions)
    broken = len(mesh.positions) - len(good)
    if broken:
        bad = ~np.isfinite(mesh.positions).all(axis=1)
        arrays[f"mesh:{number}:not-finite"] = np.flatnonzero(bad).astype(np.int32)
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
    bare = np.flatnonzero(np.isin(mesh.slots, undone)) if undone and len(mesh.slots) else ()
    if len(bare):
        arrays[f"mesh:{number}:bare"] = np.asarray(bare, np.int32)
    influences, off = _weights(mesh)
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
        slot_materials=list(mesh.slot_materials),
        unassigned_faces=int(sum(slot_faces[k] for k in undone)),
        influences_max=influences,
        weights_off=off,
        morphs=len(mesh.morphs),
        pieces=connected_pieces(mesh, top.ids) if alone and 0 < mesh.face_count <= PIECES_UP_TO else None,
        bounds_min=good.min(axis=0).tolist() if len(good) else None,
        bounds_max=good.max(axis=0).tolist() if len(good) else None,
        surface=shape,
        uvs=uvs,
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


def _part(scene: Scene, node: int, world: Array, upright: int, flat_meshes: list[bool], link: Worst) -> PartFigures:
    n, matrix = scene.nodes[node], world[node]
    assert n.mesh is not None
    mesh = scene.meshes[n.mesh]
    low = high = None
    farthest = sweep = needed = 0.0
    if len(mesh.positions):
        with np.errstate(invalid="ignore", over="ignore"):
            points = standing(scene, node, world)
        points = finite_points(points)
        if len(points):
            a, b = points.min(axis=0), points.max(axis=0)
            low, high = a.tolist(), b.tolist()
            farthest = float(np.maximum(np.abs(a), np.abs(b)).max())
            flat = np.delete(points, upright, axis=1)
            sweep = _reach(flat, np.delete(matrix[:3, 3], upright))
            needed = _reach(flat, np.delete((a + b) / 2, upright))
    own = finite_points(mesh.positions)
    # A skinned part is as large as its joints make it, whatever its own node says.
    frame = part_frame(scene, node, world) if n.skin is not None and mesh.weights is not None else matrix
    sizes = np.linalg.norm(frame[:3, :3], axis=0)
    worst = coarsest(farthest, own, matrix, link, node)
    return PartFigures(
        node=node,
        name=scene.part_name(node),
        mesh=n.mesh,
        bounds_min=low,
        bounds_max=high,
        farthest=farthest,
        spacing=worst.spacing,
        distance=_finite(worst.distance, 0.0),
        coarse=worst.where,
        coarse_node=worst.node,
        rounded=worst.where != "link" and rounded(own),
        skinned=n.skin is not None,
        pivot=[float(v) for v in matrix[:3, 3]],
        sweep=sweep,
        needed=needed,
        enlarges=_finite(sizes.mean(), 1.0),
        shrinks=_finite(sizes.min(), 1.0),
        card=flat_meshes[n.mesh] and mesh.triangle_count <= _CARD and any(_cut_out(scene, m) for m in mesh.slot_materials),
    )


def _cut_out(scene: Scene, material: int) -> bool:
    return material >= 0 and mode_of(scene.materials[material]) != "opaque"


def _finite(value: float, otherwise: float) -> float:
    return float(value) if value < 1e100 else otherwise


def _reach(points: Array, middle: Array) -> float:
    """Greatest distance of (n, 2) points from a middle."""
    with np.errstate(all="ignore"):
        away = points - middle
        farthest = np.sqrt(np.einsum("ij,ij->i", away, away).max())
    return float(farthest) if np.isfinite(farthest) else 0.0


def _nodes(scene: Scene, order: list[int], world: Array) -> list[NodeFigures]:
    up = parents(scene)
    joints = {j for s in scene.skins for j in s.joints}
    driven = {c.node for clip in scene.clips for c in clip.channels if c.node is not None}
    apart: dict[bytes, Polar] = {}

    def taken_apart(linear: Array) -> Polar:
        """Most nodes of a large scene are turned and scaled like another."""
        key = linear.tobytes()
        return apart.get(key) or apart.setdefault(key, Polar(linear))

    out = []
    for i in order:
        n = scene.nodes[i]
        whole = taken_apart(world[i][:3, :3])
        # Where the file stores a triple, its own numbers are what counts: 1, -1, -1 is a scale, not a half turn.
        local = taken_apart(n.local[:3, :3] if n.matrix is not None else quaternion_matrix(n.rotation))
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
                held=n.id.endswith(HELD),
                place=[float(v) if np.isfinite(v) else 0.0 for v in world[i][:3, 3]],
            )
        )
    return out


def _pictures(scene: Scene, progress: Progress, areas: UvAreas | None) -> tuple[list[ImageFigures], dict[int, ShownFigures]]:
    """Figures of every image, and of what each material shows of one in which something is see-through or black.

    areas: those of UV sets, or None where pictures are not to be opened. One image at a time is decoded, and let go before the next.
    """
    out: list[ImageFigures] = []
    found: dict[int, ShownFigures] = {}
    users, roles = _image_users(scene), _image_roles(scene)
    for k, image in enumerate(scene.images):
        progress("opening images", 0.9 + 0.1 * k / len(scene.images))
        told = seen_before(image, roles[k]) if areas is not None else header(image)
        if told is None or (areas is not None and _shows_through(told)):
            figures, pixels = picture(image, roles[k])
        else:
            figures, pixels = told, None
        out.append(
            ImageFigures(
                image.reference,
                image.status,
                image.found_at,
                *figures[:6],
                used_by=users[k],
                unreadable=figures.unreadable,
                look=figures.look,
                roles=roles[k],
            )
        )
        if pixels is None or areas is None or not _shows_through(figures):
            continue
        for number, material in enumerate(scene.materials):
            colour = base_colour(material)
            if colour is not None and colour.image == k and (seen := shown(scene, number, pixels, areas)) is not None:
                found[number] = seen
    return out, found


def _shows_through(figures: PictureFigures) -> bool:
    """Whether it matters which of its pixels faces show: some are see-through, or black."""
    return figures.look is not None and (figures.look.alpha is not None or figures.look.dark > 0.05)


def _image_roles(scene: Scene) -> list[list[str]]:
    roles: list[list[str]] = [[] for _ in scene.images]
    for material in scene.materials:
        for t in material.inputs:
            if t.image is not None and t.role not in roles[t.image]:
                roles[t.image].append(t.role)
    return roles


def _image_users(scene: Scene) -> list[list[str]]:
    users: list[list[str]] = [[] for _ in scene.images]
    for material in scene.materials:
        for image in dict.fromkeys(t.image for t in material.inputs if t.image is not None):
            users[image].append(material.name)
    return users
