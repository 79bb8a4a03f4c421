"""Which node of one scene stands for which of another, whatever their order: by their path of names, then by name alone, then by
what they hold and where they stand, so that a node that was renamed or hung elsewhere is still known.
"""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Callable, Hashable, Iterable

import numpy as np

from ..scene import Scene
from ..scene.transforms import parents

#: Nodes of one name below one parent up to which the nearest is looked for among all.
_FEW = 64


def match_nodes(a: Scene, b: Scene) -> dict[int, int]:
    """Node of the second scene for each of the first that has one."""
    return _Work(a, b).run()


class _Work:
    def __init__(self, a: Scene, b: Scene) -> None:
        self.a, self.b = a, b
        self.up = parents(a), parents(b)
        self.found: dict[int, int] = {}
        self.taken: set[int] = set()
        self.queue: deque[tuple[list[int], list[int]]] = deque()

    def run(self) -> dict[int, int]:
        tops = [[i for i, p in enumerate(up) if p < 0] for up in self.up]
        self.queue.append((tops[0], tops[1]))
        self.descend()
        # A node that hangs elsewhere now, by its name where that is its alone.
        self.by_key(range(len(self.a.nodes)), range(len(self.b.nodes)), lambda s, i: s.nodes[i].name or None)
        self.renamed()
        return self.found

    def descend(self) -> None:
        while self.queue:
            left, right = self.queue.popleft()
            self.by_key(left, right, lambda s, i: s.nodes[i].name, follow=False, alone=False)

    def take(self, i: int, j: int) -> None:
        self.found[i] = j
        self.taken.add(j)
        self.queue.append((list(self.a.nodes[i].children), list(self.b.nodes[j].children)))

    def by_key(
        self,
        left: Iterable[int],
        right: Iterable[int],
        key: Callable[[Scene, int], Hashable],
        follow: bool = True,
        alone: bool = True,
    ) -> None:
        """Pair what is waiting by a key: only where one on each side has it (alone), or as many as there are."""
        groups: dict[Hashable, tuple[list[int], list[int]]] = defaultdict(lambda: ([], []))
        for side, some, scene in ((0, left, self.a), (1, right, self.b)):
            for i in some:
                if (i in self.found if side == 0 else i in self.taken) or (k := key(scene, i)) is None:
                    continue
                groups[k][side].append(i)
        for mine, theirs in groups.values():
            if alone and not len(mine) == len(theirs) == 1:
                continue
            for i, j in self.closest(mine, theirs):
                self.take(i, j)
        if follow:
            self.descend()

    def renamed(self) -> None:
        """What is left: below the same parent by what it holds, then anywhere, then in order."""
        place = lambda s, i: (self.parent_key(s, i), self.kind(s, i))
        self.by_key(range(len(self.a.nodes)), range(len(self.b.nodes)), place, alone=False)
        self.by_key(range(len(self.a.nodes)), range(len(self.b.nodes)), lambda s, i: self.kind(s, i), alone=False)

    def parent_key(self, scene: Scene, i: int) -> int:
        """The parent as a node of the second scene."""
        if scene is self.b:
            return self.up[1][i]
        return self.found.get(self.up[0][i], -2) if self.up[0][i] >= 0 else -1

    def kind(self, scene: Scene, i: int) -> Hashable:
        n = scene.nodes[i]
        shape = None
        if n.mesh is not None:
            mesh = scene.meshes[n.mesh]
            shape = (mesh.triangle_count, len(mesh.lines), len(mesh.points))
        return shape, n.camera is not None, n.light is not None, n.skin is not None

    def closest(self, mine: list[int], theirs: list[int]) -> list[tuple[int, int]]:
        """Pairs among nodes of one key: as they stand where they agree, else those that hold the same nearest to each other."""
        if len(mine) == len(theirs) == 1:
            return [(mine[0], theirs[0])]
        if not mine or not theirs:
            return []
        local = lambda s, some: np.array(
            [np.concatenate([s.nodes[i].local[:3, 3], s.nodes[i].local[:3, :3].reshape(-1)]) for i in some]
        )
        la, lb = local(self.a, mine), local(self.b, theirs)
        kinds = [self.kind(self.a, i) for i in mine], [self.kind(self.b, j) for j in theirs]
        with np.errstate(all="ignore"):
            if len(mine) == len(theirs) and kinds[0] == kinds[1] and np.allclose(la, lb, rtol=1e-5, atol=1e-9, equal_nan=True):
                return list(zip(mine, theirs, strict=True))
        out: list[tuple[int, int]] = []
        for kind in dict.fromkeys(kinds[0]):
            ia = [k for k, x in enumerate(kinds[0]) if x == kind]
            ib = [k for k, x in enumerate(kinds[1]) if x == kind]
            if not ib:
                continue
            out += [(mine[ia[x]], theirs[ib[y]]) for x, y in _assigned(la[ia], lb[ib])]
        left_a = [i for i in mine if i not in {x for x, _ in out}]
        left_b = [j for j in theirs if j not in {y for _, y in out}]
        return out + list(zip(left_a, left_b, strict=False))


def _assigned(a: np.ndarray, b: np.ndarray) -> list[tuple[int, int]]:
    """Pairs of rows near each other: the best of all for a few, in sorted order for many."""
    a, b = np.asarray(np.nan_to_num(a)), np.asarray(np.nan_to_num(b))
    if max(len(a), len(b)) <= _FEW:
        from scipy.optimize import linear_sum_assignment

        with np.errstate(over="ignore"):
            cost = np.minimum(np.abs(a[:, None, :] - b[None, :, :]).sum(axis=2), 1e30)
        return [(int(x), int(y)) for x, y in zip(*linear_sum_assignment(cost), strict=True)]
    first, second = (np.lexsort(np.round(v, 5).T[::-1]).tolist() for v in (a, b))
    return list(zip(first, second, strict=False))
