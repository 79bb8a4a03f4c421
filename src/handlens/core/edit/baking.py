"""Scale, rotation and shear of nodes pushed into what hangs on them, while nothing moves."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from ..limits import MendError, plural
from ..scene import Channel, Node, Scene, Skin
from ..scene.matrices import Polar, matrix_quaternion, quaternion_product, unit_vectors
from ..scene.model import frozen
from ..scene.skinning import joint_matrices
from ..scene.transforms import parents, world_matrices
from ..words.arrays import F64, Array
from .transform_mesh import transform_mesh

#: Turns a quaternion x, y, z, w into its inverse.
_BACK = np.array([-1.0, -1.0, -1.0, 1.0])


def baked(scene: Scene, plan: Baking) -> Scene:
    """The scene with what the plan says pushed down.

    With K the linear part that a node gives up and K_p its parent's, every local matrix L becomes K_p L K⁻¹, at rest
    and in every keyframe alike, mesh positions become K p, and a bind matrix B becomes K_joint B K_mesh⁻¹.
    """
    nodes = [plan.node(i) for i in range(len(scene.nodes))]
    meshes, skins = list(scene.meshes), list(scene.skins)
    # A mesh or skin that some node uses as it is stays itself; nodes that need it otherwise get copies.
    same = [n for i, n in enumerate(scene.nodes) if n.mesh is not None and _is_identity(plan.mesh_given(i))]
    unchanged = np.eye(3).tobytes()
    taken: dict[int, bytes] = {n.mesh: unchanged for n in same if n.mesh is not None}
    copies: dict[tuple[int, bytes], int] = {}
    skin_taken: dict[int, bytes] = {n.skin: unchanged for n in same if n.skin is not None}
    skin_copies: dict[tuple[int, bytes], int] = {}
    for i, n in enumerate(scene.nodes):
        if n.mesh is None:
            continue
        k = plan.mesh_given(i)
        key = k.tobytes()
        if taken.setdefault(n.mesh, key) == key:
            meshes[n.mesh] = transform_mesh(scene.meshes[n.mesh], k) if (n.mesh, key) not in copies else meshes[n.mesh]
            copies[n.mesh, key] = n.mesh
        elif (n.mesh, key) not in copies:
            copies[n.mesh, key] = len(meshes)
            extra = transform_mesh(scene.meshes[n.mesh], k)
            meshes.append(replace(extra, id=f"{extra.id}/{scene.nodes[i].id}"))
        nodes[i] = replace(nodes[i], mesh=copies[n.mesh, key])
        if n.skin is None:
            continue
        if skin_taken.setdefault(n.skin, key) == key:
            skins[n.skin] = plan.skin(scene.skins[n.skin], k)
            skin_copies[n.skin, key] = n.skin
        elif (n.skin, key) not in skin_copies:
            skin_copies[n.skin, key] = len(skins)
            copy = plan.skin(scene.skins[n.skin], k)
            skins.append(replace(copy, id=f"{copy.id}/{scene.nodes[i].id}"))
        nodes[i] = replace(nodes[i], skin=skin_copies[n.skin, key])
    for number, skin in enumerate(scene.skins):
        if number not in skin_taken:
            skins[number] = plan.skin(skin, np.eye(3))
    clips = tuple(replace(clip, channels=tuple(plan.channel(x) for x in clip.channels)) for clip in scene.clips)
    return scene.with_(nodes=tuple(nodes), meshes=tuple(meshes), skins=tuple(skins), clips=clips)


class Baking:
    """Which linear part each node gives up: `given[i]`, identity for those that are left as they are.

    chosen: the nodes that take part, with all that hangs on them. still: those of them that keep their own turn and scale, and only
    pass on the even scale that they hang in. kept: those that had to, as their clips could not be told otherwise.
    """

    def __init__(self, scene: Scene, chosen: set[int], still: Collection[int] = ()) -> None:
        self.scene, self.chosen, self.still = scene, chosen, set(still)
        self.up = parents(scene)
        self.world = world_matrices(scene)
        self.given = [np.eye(3)] * len(scene.nodes)
        self.kept: list[int] = []
        stack = [i for i in range(len(scene.nodes)) if self.up[i] < 0]
        channels: dict[int, list[Channel]] = {}
        for clip in scene.clips:
            for channel in clip.channels:
                if channel.node is not None:
                    channels.setdefault(channel.node, []).append(channel)
        while stack:
            i = stack.pop()
            stack.extend(scene.nodes[i].children)
            # Chosen nodes have all below them chosen too, so one that is left out hangs on nothing that changes.
            if i not in chosen:
                continue
            above = self._parent(i)
            # What a node must give up so that its own local linear part becomes the identity.
            whole = above @ scene.nodes[i].local[:3, :3]
            if i in self.still or self._must_keep(i, above, whole, channels.get(i, [])):
                if not _is_even(above):
                    raise MendError(
                        f"{scene.part_name(i)} is animated or flat below an uneven scale, which no plain node could follow once baked."
                    )
                if i not in self.still:
                    self.kept.append(i)
                # Kept: only the parent's even scale is passed on, its turn goes into this node's own rotation.
                whole = np.eye(3) * _even_scale(above)
            self.given[i] = np.eye(3) if _is_identity(whole) else whole
        self.skinned = self._surfaces()
        self.changes = any(not _is_identity(k) for k in (*self.given, *self.skinned.values())) or any(
            not _is_identity(n.local[:3, :3]) for i, n in enumerate(scene.nodes) if i in chosen and not self._keeps(i)
        )

    def _keeps(self, i: int) -> bool:
        return i in self.still or i in self.kept

    def mesh_given(self, i: int) -> F64:
        """(3, 3) what the vertices of a node's mesh are multiplied by."""
        return self.skinned.get(i, self.given[i])

    def _surfaces(self) -> dict[int, Array]:
        """What the vertices of skinned meshes are multiplied by. Parts of one skin that agree but for rounding share one matrix, so
        that they go on sharing the skin.
        """
        out: dict[int, Array] = {}
        first: dict[int, Array] = {}
        for i, n in enumerate(self.scene.nodes):
            if i not in self.chosen or n.skin is None or n.mesh is None:
                continue
            k = self._surface(i)
            k = self.given[i] if k is None else k
            known = first.setdefault(n.skin, k)
            out[i] = known if np.abs(k - known).max() <= 1e-5 * np.abs(known).max() else k
        return out

    def _surface(self, i: int) -> F64 | None:
        """(3, 3) the linear part by which a skinned mesh comes into the world; None where its own node's is to be taken.

        Where the joints agree, as in the pose that the skin was bound in, it is theirs. Where they are posed it is the scale in
        the middle of theirs, with the quarter turns of the first joint alone: a bent limb must not turn what is stored.
        """
        n = self.scene.nodes[i]
        if n.skin is None or n.mesh is None or (weights := self.scene.meshes[n.mesh].weights) is None:
            return None
        skin = self.scene.skins[n.skin]
        if not skin.joints or not set(skin.joints) <= self.chosen or (np.diff(weights.starts) == 0).any():
            return None
        linear = joint_matrices(skin, self.world)[:, :3, :3]
        sizes = np.cbrt(np.linalg.det(linear)) if np.isfinite(linear).all() else np.zeros(1)
        if (sizes <= 1e-12).any():
            return None
        if np.abs(linear - linear[0]).max() <= 1e-5 * np.abs(linear).max():
            found = linear[0]
        else:
            turn = _rotation(linear[0])
            straight = np.rint(turn)
            found = float(np.median(sizes)) * (straight if np.linalg.det(straight) > 0.5 else np.eye(3))
        near: Array = np.eye(3) if np.abs(found - np.eye(3)).max() <= 1e-5 else found
        return near

    def _parent(self, i: int) -> F64:
        return self.given[self.up[i]] if self.up[i] >= 0 else np.eye(3)

    def _must_keep(self, i: int, above: F64, matrix: F64, channels: list[Channel]) -> bool:
        """Whether a node's clips could not be told in translation, rotation and scale after baking, or it is flat."""
        if abs(np.linalg.det(matrix)) <= 1e-12 * max(np.abs(matrix).max(), 1e-300) ** 3:
            return True
        turned = any(channel.path == "rotation" for channel in channels)
        scaled = [channel for channel in channels if channel.path == "scale"]
        if turned and not _is_even(above):
            return True
        if not scaled:
            return False
        rest = np.array(self.scene.nodes[i].scale, np.float64)
        if (np.abs(rest) < 1e-12).any():
            return True
        for curve in scaled:
            ratio = curve.values.astype(np.float64) / rest
            even = np.abs(ratio - ratio[:, :1]).max() <= 1e-4 * np.abs(ratio).max()
            straight = not turned and _permutes(above @ _rotation(self.scene.nodes[i].local[:3, :3]))
            if not (even or straight):
                return True
        return False

    def reason(self) -> str:
        names = ", ".join(self.scene.part_name(i) for i in self.kept[:3])
        return (
            f"{plural(len(self.kept), 'node was', 'nodes were')} left as found: flat, or scaled or turned by a clip "
            f"in a way that no plain node could follow: {names}."
        )

    def node(self, i: int) -> Node:
        n = self.scene.nodes[i]
        above, own = self._parent(i), self.given[i]
        if _is_identity(above) and _is_identity(own):
            return n
        translation = above @ n.local[:3, 3]
        moved = replace(
            n, translation=tuple(translation.tolist()), rotation=(0.0, 0.0, 0.0, 1.0), scale=(1.0, 1.0, 1.0), matrix=None
        )
        if not self._keeps(i):
            return moved
        if n.matrix is not None:
            whole = np.eye(4)
            whole[:3, :3], whole[:3, 3] = above @ n.local[:3, :3] / _even_scale(above), translation
            return replace(moved, matrix=frozen(whole))
        rotation = quaternion_product(_even_turn(above), np.array(n.rotation))
        return replace(moved, rotation=tuple(rotation.tolist()), scale=n.scale)

    def skin(self, skin: Skin, mesh_given: F64) -> Skin:
        count = len(skin.joints)
        inverse = np.tile(np.eye(4), (count, 1, 1)) if skin.inverse_bind is None else skin.inverse_bind.copy()
        back = np.eye(4)
        back[:3, :3] = np.linalg.inv(mesh_given)
        for j, node in enumerate(skin.joints):
            k = np.eye(4)
            k[:3, :3] = self.given[node]
            inverse[j] = k @ inverse[j] @ back
        return replace(skin, inverse_bind=frozen(inverse))

    def channel(self, source: Channel) -> Channel:
        """K_p L(t) K⁻¹ taken apart: translations by K_p, rotations R(t) R₀⁻¹ seen from K_p, scales relative to rest."""
        if source.node is None or (self._keeps(source.node) and _is_identity(self._parent(source.node))):
            return source
        above = self._parent(source.node)
        n = self.scene.nodes[source.node]
        v = source.values.astype(np.float64)
        if source.path == "translation":
            return replace(source, values=frozen((v @ above.T).astype(np.float32)))
        if source.path == "rotation":
            turn = _even_turn(above)
            if self._keeps(source.node):
                return replace(source, values=frozen(quaternion_product(turn, v).astype(np.float32)))
            rest = np.array(matrix_quaternion(_rotation(n.local[:3, :3]))) if n.matrix is not None else np.array(n.rotation)
            rest = rest / (np.linalg.norm(rest) or 1.0)
            relative = quaternion_product(v, rest * _BACK)
            seen = quaternion_product(quaternion_product(turn, relative), turn * _BACK)
            return replace(source, values=frozen(seen.astype(np.float32)))
        if source.path == "scale" and not self._keeps(source.node):
            ratio = v / np.array(n.scale, np.float64)
            if np.abs(ratio - ratio[:, :1]).max() > 1e-4 * np.abs(ratio).max():
                ratio = ratio @ np.abs(np.rint(unit_vectors(above @ _rotation(n.local[:3, :3])))).T
            return replace(source, values=frozen(ratio.astype(np.float32)))
        return source


def _is_identity(k: F64) -> bool:
    return bool(np.abs(k - np.eye(3)).max() <= 1e-12)


def _is_even(k: F64) -> bool:
    """A rotation, perhaps mirrored, times one scale."""
    gram = k.T @ k
    return bool(np.abs(gram - np.eye(3) * gram[0, 0]).max() <= 1e-5 * max(abs(gram[0, 0]), 1e-300))


def _even_scale(k: F64) -> float:
    """The one scale of an even matrix, negative where it mirrors."""
    return float(np.cbrt(np.linalg.det(k)))


def _even_turn(k: F64) -> F64:
    """(4,) quaternion of an even matrix once its scale and mirror are divided out."""
    return np.array(matrix_quaternion(k / _even_scale(k)))


def _permutes(k: F64) -> bool:
    cosines = np.abs(unit_vectors(k.T).T)
    return bool((np.minimum(cosines, np.abs(1 - cosines)) < 1e-5).all())


def _rotation(linear: F64) -> F64:
    return Polar(linear).rotation
