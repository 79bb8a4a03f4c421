"""Compare two scenes row by row: what was sent against what was read back."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from .format_table import BY_NAME
from .formats.one_set import drawn_set_first
from .measures import Measures, count
from .report import facts
from .scene import Scene
from .scene.axes import to_y_up
from .scene.model import Array
from .scene.placed import placed_only, unplaced
from .scene.transforms import apply, walk, world_matrices
from .scene.triangles import triangulate


@dataclass(frozen=True)
class Row:
    """One compared quantity. result: clear (the same), note (differs as the format requires), caution or stop."""

    group: str
    what: str
    sent: str
    read_back: str
    difference: str
    result: str
    remark: str = ""


@dataclass(frozen=True)
class Proof:
    rows: tuple[Row, ...]

    @property
    def proved(self) -> bool:
        """Whether nothing differs but what the format cannot hold: those rows are cautions, all else is a stop."""
        return all(r.result != "stop" for r in self.rows)

    def to_json(self) -> dict[str, Any]:
        counts = {k: sum(r.result == k for r in self.rows) for k in ("stop", "caution", "note")}
        return {"schema": 1, "proved": self.proved, "verdict": counts, "rows": [asdict(r) for r in self.rows]}


def prove(a: Scene, b: Scene, a_measures: Measures | None = None) -> Proof:
    """Compare two scenes. Lengths are compared in metres, an unstated unit being taken over from the other scene."""
    return Proof(tuple(Comparison(a, b, a_measures).rows()))


@dataclass(frozen=True)
class Surface:
    """corners: (T, 3, 3) metres. uv: (T, 3, 2), v counted downwards, or None. slots: (T,)."""

    corners: Array
    uv: Array | None
    slots: Array

    def moved(self, by: Array) -> Surface:
        return Surface(self.corners + by, self.uv, self.slots)

    def taken(self, order: Array) -> Surface:
        return Surface(self.corners[order], None if self.uv is None else self.uv[order], self.slots[order])


class Comparison:
    """Two scenes in metres with Y up. parts_a, parts_b: surface of each part by node; tolerance: metres that rounding may cost."""

    def __init__(self, a: Scene, b: Scene, a_measures: Measures | None = None, b_measures: Measures | None = None) -> None:
        self.spare = 0 if "unplaced meshes" in BY_NAME[b.format].holds else max(unplaced(a) - unplaced(b), 0)
        if self.spare:
            # They are lost as such; everything else is compared without them.
            a, a_measures = placed_only(a), None
        self.a, self.b = a, b
        self.am, self.bm = a_measures or count(a), b_measures or count(b)
        self.fa, self.fb = facts(self.am), facts(self.bm)
        self.unit_a = a.unit_metres if a.unit_metres is not None else (b.unit_metres or 1.0)
        self.unit_b = b.unit_metres if b.unit_metres is not None else self.unit_a
        up_a = a.up_axis or b.up_axis or "Y"
        # A format with one UV set was given the one that is drawn.
        sent = a if "UV sets" in BY_NAME[b.format].holds else drawn_set_first(a)
        self.parts_a = _part_surfaces(sent, self.unit_a, to_y_up(up_a))
        self.parts_b = _part_surfaces(b, self.unit_b, to_y_up(b.up_axis or up_a))
        self.joined = not all("parts" in BY_NAME[x.format].holds for x in (a, b))
        self.pairs = [] if self.joined else pair(a, b, self.parts_a, self.parts_b)
        box = self._box(self.parts_a)
        self.tolerance = 2 * self._tolerance(box) if box is not None else 0.0

    def rows(self) -> Iterator[Row]:
        yield from self._size()
        yield from self._surface()
        if self.spare:
            yield Row(
                "Surface",
                "Meshes that no node places",
                f"{self.spare:,}",
                "0",
                f"− {self.spare:,}",
                "caution",
                "the format cannot hold them",
            )
        yield from self._slots()
        yield from self._rig()

    # --- size --------------------------------------------------------------------------------

    def _box(self, parts: dict[int, Surface]) -> tuple[Array, Array] | None:
        flat = [p.corners.reshape(-1, 3) for p in parts.values()]
        finite = [p[np.isfinite(p).all(axis=1)] for p in flat]
        finite = [p for p in finite if len(p)]
        if not finite:
            return None
        return np.min([p.min(axis=0) for p in finite], axis=0), np.max([p.max(axis=0) for p in finite], axis=0)

    def _size(self) -> Iterator[Row]:
        a, b = self._box(self.parts_a), self._box(self.parts_b)
        if a is None or b is None:
            if (a is None) != (b is None):
                yield Row("Size", "Something to draw", _yes(a is not None), _yes(b is not None), "lost", "stop")
            return
        tolerance = self._tolerance(a)
        for name, axis in (("Height", 1), ("Width", 0), ("Depth", 2)):
            sa, sb = float(a[1][axis] - a[0][axis]), float(b[1][axis] - b[0][axis])
            yield _length("Size", name, sa, sb, 2 * tolerance)
        shift = float(np.abs((a[0] + a[1]) / 2 - (b[0] + b[1]) / 2).max())
        yield Row("Size", "Place of the middle", "", "", f"{shift * 1000:.3g} mm", "clear" if shift <= tolerance else "stop")
        stated = lambda s: f"{s.unit_metres:g} m" if s.unit_metres is not None else "not stated"
        same_unit = self.a.unit_metres == self.b.unit_metres
        yield Row(
            "Size", "Unit", stated(self.a), stated(self.b), "same" if same_unit else "converted", "clear" if same_unit else "note"
        )
        ua, ub = self.a.up_axis or "not stated", self.b.up_axis or "not stated"
        yield Row("Size", "Up axis", ua, ub, "same" if ua == ub else "converted", "clear" if ua == ub else "note")

    def _tolerance(self, box: tuple[Array, Array]) -> float:
        """Half a step of the coarser number format at the farthest coordinate, with room for one product."""
        reach = float(max(np.abs(box[0]).max(), np.abs(box[1]).max(), 1e-12))
        single = BY_NAME[self.a.format].single or BY_NAME[self.b.format].single
        return reach * (2.0**-22 if single else 2.0**-46)

    # --- surface -----------------------------------------------------------------------------

    def _surface(self) -> Iterator[Row]:
        parts = _counted("Surface", "Parts with faces", len(self.parts_a), len(self.parts_b))
        yield (
            replace(parts, result="note", remark="joined into one, as the format requires")
            if self.joined and parts.result == "stop"
            else parts
        )
        yield self._count("Surface", "Triangles", "triangles")
        softened = "split into triangles, or copies written out, as the format requires"
        yield self._count("Surface", "Polygons", "faces", "note", softened)
        yield self._count("Surface", "Vertices", "vertices", "note", "split along seams or joined, as the format requires")
        # Over the parts, not the stored meshes: an instance that had to be written out brings its lines again.
        row = _counted(
            "Surface",
            "Loose edges",
            *(sum(len(x.meshes[n.mesh].lines) for n in x.nodes if n.mesh is not None) for x in (self.a, self.b)),
        )
        held, remark = self._if_held("lines", "the format cannot hold lines")
        yield row if row.result == "clear" else replace(row, result=held, remark=remark)
        if self.fa["loose_points"] or self.fb["loose_points"]:
            yield self._count("Surface", "Loose points", "loose_points", "note", "positions that nothing uses are not written")
        yield from self._matched_parts()

    def _matched_parts(self) -> Iterator[Row]:
        """The same parts, triangle by triangle."""
        box, tolerance = self._box(self.parts_a), self.tolerance
        parts_a, parts_b, pairs = self.parts_a, self.parts_b, self.pairs
        if self.joined:
            parts_a, parts_b = ({0: s} if (s := joined_surface(list(p.values()))) else {} for p in (parts_a, parts_b))
            pairs = [(0, 0)] if parts_a and parts_b else []
        else:
            yield self._part_names()
        worst, where, drift = 0.0, "", 0.0
        turned = unmatched = 0
        for i, j in pairs:
            pa, pb = parts_a[i], parts_b[j]
            if pa.corners.shape != pb.corners.shape:
                unmatched += 1
                continue
            pa, pb = aligned(pa, pb, tolerance)
            off, order = corner_shift(pa.corners, pb.corners)
            if off > worst:
                worst, where = off, "the whole" if self.joined else self.a.part_name(i)
            turned += faces_turned(pa.corners, pb.corners, tolerance)
            if pa.uv is not None and pb.uv is not None:
                matched = np.take_along_axis(pb.uv, order[:, :, None], axis=1)
                drift = max(drift, float(np.nanmax(np.abs(pa.uv - matched), initial=0.0)))
        if unmatched:
            yield Row("Surface", "Parts with other triangles", "0", str(unmatched), str(unmatched), "stop")
        if not pairs or box is None:
            return
        result = "clear" if worst <= tolerance else "stop"
        yield Row(
            "Surface",
            "Greatest shift of a corner",
            "",
            "",
            f"{worst * 1000:.3g} mm",
            result,
            "" if result == "clear" else f"on {where}",
        )
        yield Row("Surface", "Faces turned", "0", f"{turned:,}", f"{turned:,}", "clear" if not turned else "stop")
        if any(p.uv is not None for p in self.parts_a.values()):
            # Turning v over and rounding to 32 bits each cost half a step at the largest coordinate.
            reach = max([1.0, *(float(np.nanmax(np.abs(p.uv), initial=0.0)) for p in self.parts_a.values() if p.uv is not None)])
            yield Row(
                "Slots and textures",
                "Greatest UV drift",
                "",
                "",
                f"{drift:.3g}",
                "clear" if drift <= reach * 2.0**-21 else "stop",
            )

    def _part_names(self) -> Row:
        a = [self.a.part_name(i) for i in self.parts_a]
        b = [self.b.part_name(i) for i in self.parts_b]
        changed = [n for n in a if n not in set(b)]
        if not changed:
            return Row("Surface", "Part names", str(len(a)), str(len(b)), "same", "clear")
        # Unnamed parts carry a made-up name, which may come back as another.
        unnamed = all(not self.a.nodes[i].name for i, n in zip(self.parts_a, a, strict=True) if n in changed)
        return Row(
            "Surface",
            "Part names",
            str(len(a)),
            str(len(b)),
            f"{len(changed)} changed",
            "note" if unnamed else "caution",
            f"first {changed[0]}",
        )

    # --- slots, textures ---------------------------------------------------------------------

    def _slots(self) -> Iterator[Row]:
        used_a = [m["name"] for m in self.fa["materials"] if m["used_by_faces"]]
        used_b = [m["name"] for m in self.fb["materials"] if m["used_by_faces"]]
        row = _counted("Slots and textures", "Materials in use", len(used_a), len(used_b))
        if self.b.format == "3mf" and len(used_b) > len(used_a):
            remark = "faces without UVs cannot have their material's picture, and are a material of their own"
            row = Row(row.group, row.what, row.sent, row.read_back, row.difference, "caution", remark)
        renamed = [n for n in used_a if n not in used_b]
        if row.result == "clear" and renamed:
            row = Row(
                row.group,
                row.what,
                row.sent,
                row.read_back,
                f"{len(renamed)} renamed",
                "note",
                f"{renamed[0] or 'one without a name'} has another name",
            )
        held, remark = self._if_held("materials", "the format cannot hold them")
        yield row if row.result != "stop" else replace(row, result=held, remark=remark)
        bare_a, bare_b = self.fa["faces_without_material"], self.fb["faces_without_material"]
        alike = (bare_a == 0) == (bare_b == 0)
        yield Row(
            "Slots and textures",
            "Faces without material",
            f"{bare_a:,}",
            f"{bare_b:,}",
            "0" if bare_a == bare_b else "triangles now" if alike else f"{bare_b - bare_a:+,}",
            "clear" if bare_a == bare_b else "note" if alike else held,
        )
        pictures_a, pictures_b = _pictures(self.a), _pictures(self.b)
        gone = pictures_a - pictures_b
        missing = sum(1 for i in self.a.images if i.load is None)
        yield Row(
            "Slots and textures",
            "Images",
            str(len(pictures_a)),
            str(len(pictures_b)),
            "same bytes" if not gone else f"{len(gone)} lost",
            "clear" if not gone else "caution",
            f"{missing} were missing before" if missing else "",
        )
        yield self._count("Slots and textures", "UV sets", "uv_sets", *self._if_held("UV sets", "the format cannot hold as many"))
        modes_a, modes_b = self._alpha_modes(self.fa), self._alpha_modes(self.fb)
        if modes_a != modes_b:
            words = [", ".join(dict.fromkeys(m)) or "none" for m in (modes_a, modes_b)]
            can = self._if_held("alpha modes", "the format cannot hold them")
            made = ("caution", "made from the opacity, as the format requires")
            yield Row(
                "Slots and textures",
                "Alpha modes",
                words[0],
                words[1],
                "differ",
                *(can if can[0] == "caution" or "alpha modes" in BY_NAME[self.a.format].holds else made),
            )

    @staticmethod
    def _alpha_modes(facts: dict[str, Any]) -> list[str]:
        """Modes other than opaque of the materials in use; a format without modes counts as opaque."""
        return sorted(m["alpha_mode"] for m in facts["materials"] if m["used_by_faces"] and m["alpha_mode"] in ("mask", "blend"))

    # --- rig ---------------------------------------------------------------------------------

    def _rig(self) -> Iterator[Row]:
        joints = [sum(s["joints"] for s in f["skins"]) for f in (self.fa, self.fb)]
        rows = [
            ("Skin and motion", "Skins", len(self.fa["skins"]), len(self.fb["skins"]), "skins"),
            (
                "Skin and motion",
                "Clips",
                len(self.fa["clips"]),
                len(self.fb["clips"]),
                "clips" if len(self.fa["clips"]) < 2 else "further clips",
            ),
            ("Skin and motion", "Joints", *joints, "skins"),
            ("Skin and motion", "Most influences", self.fa["influences_max"], self.fb["influences_max"], "skins"),
            ("Also in the file", "Cameras", self.fa["cameras"], self.fb["cameras"], "cameras"),
            (
                "Also in the file",
                "Lights",
                self.fa["lights"],
                self.fb["lights"],
                "ambient lights" if self._ambient() else "lights",
            ),
        ]
        for group, what, na, nb, feature in rows:
            if na or nb:
                row = _counted(group, what, na, nb)
                result, remark = self._if_held(feature, "the format cannot hold it")
                yield row if row.result == "clear" else Row(group, what, row.sent, row.read_back, row.difference, result, remark)
        for ca, cb in zip(self.fa["clips"], self.fb["clips"], strict=False):
            off = cb["seconds"] - ca["seconds"]
            same = abs(off) < 1e-4 and ca["channels"] == cb["channels"]
            difference = (
                f"{abs(off):.3f} s"
                if abs(off) >= 1e-4
                else f"{cb['channels'] - ca['channels']:+} channels"
                if not same
                else "0.000 s"
            )
            yield Row(
                "Skin and motion",
                f"Clip {ca['name'] or 'without a name'}",
                f"{ca['seconds']:.3f} s",
                f"{cb['seconds']:.3f} s",
                difference,
                "clear" if same else "stop" if abs(off) >= 1e-4 or "channels" in BY_NAME[self.b.format].holds else "note",
                "" if same or abs(off) >= 1e-4 else "the format holds whole transforms",
            )

    def _ambient(self) -> bool:
        return any(light.source.get("type") == "ambient" for light in self.a.lights)

    def _if_held(self, feature: str, remark: str) -> tuple[str, str]:
        """What a difference is worth: a stop where the format that was read back can hold the feature, else a caution."""
        return ("stop", "") if feature in BY_NAME[self.b.format].holds else ("caution", remark)

    def _count(self, group: str, what: str, key: str, else_: str = "stop", remark: str = "") -> Row:
        row = _counted(group, what, int(self.fa[key]), int(self.fb[key]))
        if row.result == "clear" or else_ == "stop":
            return row
        return Row(group, what, row.sent, row.read_back, row.difference, else_, remark)


def _counted(group: str, what: str, a: int, b: int) -> Row:
    difference = "0" if a == b else f"{'+' if b > a else '−'} {abs(b - a):,}"
    return Row(group, what, f"{a:,}", f"{b:,}", difference, "clear" if a == b else "stop")


def _length(group: str, what: str, a: float, b: float, tolerance: float) -> Row:
    off = abs(a - b)
    return Row(group, what, f"{a:,.4g} m", f"{b:,.4g} m", f"{off * 1000:.3g} mm", "clear" if off <= tolerance else "stop")


def _yes(v: bool) -> str:
    return "yes" if v else "no"


def _part_surfaces(scene: Scene, unit: float, turn: Array) -> dict[int, Surface]:
    """The surface of each part that has faces, in metres, Y up, mirrored parts turned to face the way they are drawn."""
    world = world_matrices(scene)
    out = {}
    for i in walk(scene):
        m = scene.nodes[i].mesh
        if m is None or not scene.meshes[m].face_count:
            continue
        mesh = scene.meshes[m]
        triangles, face = triangulate(mesh)
        if np.linalg.det(world[i][:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        with np.errstate(invalid="ignore", over="ignore"):
            corners = apply(world[i], mesh.positions)[mesh.corners[triangles]] @ turn.T * unit
        uv = None
        if mesh.uvs:
            uv = mesh.uvs[0].at_corners()[triangles].astype(np.float64)
            if not BY_NAME[scene.format].v_down:
                uv[..., 1] = 1 - uv[..., 1]
        out[i] = Surface(corners, uv, mesh.slots[face] if len(mesh.slots) else np.zeros(len(face), np.int32))
    return out


def pair(a: Scene, b: Scene, left: dict[int, Surface], right: dict[int, Surface]) -> list[tuple[int, int]]:
    """Parts of two scenes: by name where that is unique on both sides, the rest by equal triangle count, in order."""
    by_name: dict[str, list[int]] = {}
    for j in right:
        by_name.setdefault(b.part_name(j), []).append(j)
    owners: dict[str, list[int]] = {}
    for i in left:
        owners.setdefault(a.part_name(i), []).append(i)
    pairs = [(mine[0], by_name[n][0]) for n, mine in owners.items() if len(mine) == 1 and len(by_name.get(n, [])) == 1]
    taken_a, taken_b = {i for i, _ in pairs}, {j for _, j in pairs}
    waiting: dict[tuple[int, ...], list[int]] = {}
    for j in right:
        if j not in taken_b:
            waiting.setdefault(right[j].corners.shape, []).append(j)
    for i in left:
        same = waiting.get(left[i].corners.shape)
        if i not in taken_a and same:
            pairs.append((i, same.pop(0)))
    return pairs


def aligned(a: Surface, b: Surface, tolerance: float) -> tuple[Surface, Surface]:
    """Both surfaces with their triangles in the same order: as stored, else slot by slot, else sorted by place."""
    if corner_shift(a.corners, b.corners)[0] <= tolerance:
        return a, b
    by_slot = a.taken(np.argsort(a.slots, kind="stable")), b.taken(np.argsort(b.slots, kind="stable"))
    if corner_shift(by_slot[0].corners, by_slot[1].corners)[0] <= tolerance:
        return by_slot
    return a.taken(_order_by_place(a.corners, tolerance)), b.taken(_order_by_place(b.corners, tolerance))


def _order_by_place(corners: Array, tolerance: float) -> Array:
    step = max(tolerance * 8, 1e-12)
    keys = np.rint(np.nan_to_num(np.column_stack([corners.mean(axis=1), corners.min(axis=1), corners.max(axis=1)])) / step)
    return np.lexsort(keys.T[::-1])


#: How a triangle may be written with another corner first, and the other way round.
_ORDERS = np.array([(0, 1, 2), (1, 2, 0), (2, 0, 1), (2, 1, 0), (1, 0, 2), (0, 2, 1)])


def corner_shift(a: Array, b: Array) -> tuple[float, Array]:
    """Greatest distance between a corner and its counterpart, and (T, 3) which corner of b stands for each of a."""
    if not len(a):
        return 0.0, np.zeros((0, 3), np.int64)
    with np.errstate(invalid="ignore"):
        off = np.stack([np.linalg.norm(a - b[:, order], axis=2).max(axis=1) for order in _ORDERS])
    off[~np.isfinite(off)] = 0.0
    best = off.argmin(axis=0)
    return float(off.min(axis=0).max()), _ORDERS[best]


def joined_surface(parts: list[Surface]) -> Surface | None:
    """Several parts as one, in order; UVs only where all of them have some."""
    if not parts:
        return None
    uv = [p.uv for p in parts if p.uv is not None]
    return Surface(
        np.concatenate([p.corners for p in parts]),
        np.concatenate(uv) if len(uv) == len(parts) else None,
        np.concatenate([p.slots for p in parts]),
    )


def faces_turned(pa: Array, pb: Array, tolerance: float = 0.0) -> int:
    """How many of the triangles (T, 3, 3) of one surface face the other way on another; those no higher than rounding face no way."""
    na = np.cross(pa[:, 1] - pa[:, 0], pa[:, 2] - pa[:, 0])
    nb = np.cross(pb[:, 1] - pb[:, 0], pb[:, 2] - pb[:, 0])
    dot = np.einsum("ij,ij->i", na, nb)
    la, lb = np.linalg.norm(na, axis=1), np.linalg.norm(nb, axis=1)
    longest = np.linalg.norm(pa - pa[:, [1, 2, 0]], axis=2).max(axis=1, initial=0.0)
    # A sliver's normal is rounding noise: only faces whose normals clearly oppose each other count.
    return int(np.count_nonzero((dot < -0.5 * la * lb) & (np.minimum(la, lb) > 4 * tolerance * longest)))


def _pictures(scene: Scene) -> set[str]:
    used = {t.image for m in scene.materials for t in m.inputs if t.image is not None}
    out = set()
    for k in used:
        data = scene.images[k].bytes()
        if data is not None:
            out.add(hashlib.sha256(data).hexdigest())
    return out
