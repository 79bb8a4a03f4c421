"""What most destinations count and look at before they take a package, each rule by itself."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from typing import NamedTuple

import msgspec
import numpy as np

from ..limits import plural
from ..route.stations import all_checks
from ..rules.sheet import RuleSheet
from ..words.patterns import compiled
from .answer import Line, Result
from .reading.received import Picture, Piece, Received, Surface

_WORDS: dict[str, Result] = {"stop": "refused", "caution": "otherwise", "note": "otherwise", "off": "taken"}
#: A texture on the graphics card: four bytes a pixel, and a third more for its mips.
_PIXEL_BYTES, _MIPS = 4, 4 / 3
_SHOWN = 3


class Package(NamedTuple):
    """What is judged: the files by path, the path of the model among them, and what was read of it."""

    files: Mapping[str, bytes]
    main: str
    received: Received


def all_rules(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    """Every rule of a destination's sheet that a package alone can be held against."""
    for rule in (_finite, _counts, _meshes, _images, _names, _alpha, _sides, _placed, _turned, _skins, _files):
        # What the sheet does not ask is no line.
        yield from (line for line in rule(package, sheet) if line.result != "taken")


#: What shows in the picture: a destination that is no gate draws it as it can.
_DRAWN = ("facing.", "placement.", "see-through.", "textures.missing", "textures.unreadable", "skin.bare")


def as_it_can(lines: Iterable[Line]) -> Iterator[Line]:
    """Lines of a destination that refuses for nothing that it can still draw."""
    for line in lines:
        drawn = line.result == "refused" and line.check.startswith(_DRAWN)
        yield msgspec.structs.replace(line, result="otherwise") if drawn else line


def _line(sheet: RuleSheet, check: str, says: str, about: str = "") -> Line:
    return Line(_WORDS[sheet.results.get(check) or _usual()[check]], says, check, about)


@cache
def _usual() -> dict[str, str]:
    """How grave each check is where a sheet says nothing of it."""
    return {declared.id: declared.result for declared in all_checks()}


def _over(sheet: RuleSheet, check: str, what: str, there: float, most: int | None, about: str = "") -> Iterator[Line]:
    if most is not None and there > most:
        yield _line(sheet, check, f"{what}: {there:,.0f}, of which {most:,} are taken", about)


def _finite(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    received = package.received
    pieces = [piece for mesh in received.meshes for piece in mesh]
    if not any(len(piece.corners) for piece in pieces):
        yield _line(sheet, "arrival.empty", "There is nothing to draw")
    bad = sum(int((~np.isfinite(piece.points)).any(axis=1).sum()) for piece in pieces)
    if bad:
        yield _line(sheet, "arrival.not-finite", f"{plural(bad, 'vertex', 'vertices')} at no number")


def _counts(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    received, most = package.received, sheet.limits
    drawn = [piece for node in received.drawn for piece in received.meshes[node.mesh] if len(piece.corners)]
    total = sum(len(piece.corners) for piece in drawn)
    yield from _over(sheet, "budget.triangles-total", "Triangles in all", total, most.triangles_total)
    yield from _over(sheet, "budget.draw-calls", "Draw calls", len(drawn), most.draw_calls)
    if most.parts is not None and len(received.drawn) > most.parts:
        yield Line("otherwise", f"Parts: {len(received.drawn):,}, where {most.parts:,} are usual")
    used = sorted({image for surface in received.surfaces for image in surface.images})
    sizes = [found for k in used if (found := received.pictures[k].looked_at)]
    memory = sum(w * h for _, w, h in sizes) * _PIXEL_BYTES * _MIPS
    yield from _over(sheet, "budget.texture-memory", "Bytes of images once loaded", memory, most.texture_memory_bytes)


def _meshes(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    received, most = package.received, sheet.limits
    for number, mesh in enumerate(received.meshes):
        name = next((node.name for node in received.drawn if node.mesh == number), f"mesh[{number}]")
        drawn = [piece for piece in mesh if len(piece.corners)]
        triangles = sum(len(piece.corners) for piece in drawn)
        vertices = _vertices(drawn)
        slots = len({piece.material for piece in drawn})
        yield from _over(sheet, "budget.triangles-mesh", f"Triangles of {name}", triangles, most.triangles_mesh, name)
        yield from _over(sheet, "budget.vertices-mesh", f"Vertices of {name}", vertices, most.vertices_mesh, name)
        yield from _over(sheet, "slots.too-many", f"Materials of {name}", slots, most.slots_mesh, name)


def _vertices(pieces: list[Piece]) -> int:
    """Vertices that the pieces of a mesh use; pieces may share one array."""
    return sum(len(np.unique(piece.corners)) for piece in pieces)


def _images(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    received, textures = package.received, sheet.textures
    used = {image for surface in received.surfaces for image in surface.images}
    for k in sorted(used):
        picture = received.pictures[k]
        if picture.data is None:
            yield _line(sheet, "textures.missing", f"{picture.name} is not in the package", picture.name)
            continue
        if picture.looked_at is None:
            yield _line(sheet, "textures.unreadable", f"{picture.name} is no picture that can be read", picture.name)
            continue
        kind, width, height = picture.looked_at
        longer = max(width, height)
        yield from _over(
            sheet, "textures.size", f"Pixels along {picture.name}", longer, sheet.limits.texture_pixels, picture.name
        )
        bytes_ = len(picture.data)
        yield from _over(
            sheet, "textures.file-size", f"Bytes of {picture.name}", bytes_, sheet.limits.texture_file_bytes, picture.name
        )
        if textures.formats and kind not in textures.formats:
            yield _line(
                sheet, "textures.format", f"{picture.name} is {kind}; taken are {', '.join(textures.formats)}", picture.name
            )
        if textures.power_of_two and any(n & (n - 1) for n in (width, height)):
            yield _line(
                sheet,
                "textures.power-of-two",
                f"{picture.name} is {width:,} × {height:,}; sides that are no powers of two are resampled",
                picture.name,
            )
    for surface in received.surfaces:
        if surface.alpha == "opaque" and surface.image >= 0 and _has_gaps(received, surface.image):
            yield _line(
                sheet,
                "see-through.ignored",
                f"{surface.name} is opaque, and its image has see-through parts: they are drawn solid",
                surface.name,
            )


def _alpha(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    blended = [surface.name for surface in _used(package.received) if surface.alpha == "blend"]
    cut = [surface.name for surface in _used(package.received) if surface.alpha == "mask"]
    if sheet.receiver.alpha == "none" and blended + cut:
        yield Line("otherwise", f"{_listed(blended + cut)}: drawn solid", "see-through.mode", (blended + cut)[0])
    elif sheet.receiver.alpha == "mask-only" and blended:
        yield Line("otherwise", f"{_listed(blended)}: cut out at one half instead of blended", "see-through.mode", blended[0])


def _sides(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    both = [surface.name for surface in _used(package.received) if surface.both_sides]
    if sheet.receiver.back_faces == "hidden" and both:
        yield Line("otherwise", f"{_listed(both)}: drawn from the front alone", "facing.double-sided", both[0])


def _used(received: Received) -> list[Surface]:
    """Materials that something is drawn in."""
    numbers = {piece.material for mesh in received.meshes for piece in mesh if len(piece.corners) and piece.material >= 0}
    return [received.surfaces[k] for k in sorted(numbers)]


def _has_gaps(received: Received, image: int) -> bool:
    """Whether an image has parts that are meant to be seen through: a thousandth of it at the least."""
    pixels = received.pictures[image].pixels
    return pixels is not None and float((pixels[..., 3] < 128).mean()) > 0.001


def _names(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    received, names = package.received, sheet.names
    all_names = [*(node.name for node in received.nodes), *(surface.name for surface in received.surfaces)]
    if names.allowed:
        expression = compiled(f"[{names.allowed}]*", "The sheet's characters")
        wrong = [name for name in dict.fromkeys(all_names) if not expression.fullmatch(name)]
        if wrong:
            yield _line(
                sheet, "arrival.illegal-names", f"{_listed(wrong)}: characters besides {names.allowed} are replaced", wrong[0]
            )
    if names.longest is not None:
        long = [name for name in dict.fromkeys(all_names) if len(name) > names.longest]
        if long:
            yield _line(sheet, "arrival.illegal-names", f"{_listed(long)}: cut after {names.longest} characters", long[0])
    doubled = [name for name, n in Counter(node.name for node in received.drawn).items() if n > 1]
    if doubled:
        yield Line(
            "otherwise", f"{_listed(doubled)}: a name for several parts, so a number is put after it", "arrival.name-clash"
        )


def _placed(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    received = package.received
    mirrored = [node.name for node in received.drawn if np.linalg.det(node.matrix[:3, :3]) < 0]
    if mirrored:
        yield _line(sheet, "placement.mirrored", f"{_listed(mirrored)}: mirrored by the node", mirrored[0])
    metres = received.metres or sheet.unit_metres
    spacing = sheet.limits.float_spacing_mm
    for node in received.drawn:
        farthest = max(
            (float(np.abs(received.world(node, piece)).max(initial=0)) for piece in received.meshes[node.mesh]), default=0.0
        )
        # Two places at such a distance that a 32-bit float can tell apart lie so far from one another.
        step = float(np.spacing(np.float32(min(farthest * metres, 3e38)))) * 1000
        if step > spacing:
            yield _line(
                sheet,
                "placement.far",
                f"{node.name} is {farthest * metres:,.0f} m out, where places are told apart to {step:.2g} mm",
                node.name,
            )
            return


def _turned(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    """Faces that are turned against their neighbours, where backs are not drawn: an edge that two faces run along in the same direction."""
    if sheet.receiver.back_faces == "shown":
        return
    received = package.received
    for number, mesh in enumerate(received.meshes):
        one_sided = [piece for piece in mesh if piece.material < 0 or not received.surfaces[piece.material].both_sides]
        against = _run_twice([piece for piece in one_sided if len(piece.corners)])
        if against:
            name = next((node.name for node in received.drawn if node.mesh == number), f"mesh[{number}]")
            yield _line(
                sheet,
                "facing.inward",
                f"{name}: faces meet along {plural(against, 'edge')} with opposite fronts, and backs are not drawn",
                name,
            )


def _run_twice(pieces: list[Piece]) -> int:
    """Edges along which two faces, and no more, are run in one direction; positions that are equal count as one."""
    if not pieces:
        return 0
    points = np.concatenate([piece.points for piece in pieces])
    starts = np.cumsum([0, *(len(piece.points) for piece in pieces[:-1])])
    corners = np.concatenate([piece.corners + start for piece, start in zip(pieces, starts, strict=True)])
    _, place = np.unique(points, axis=0, return_inverse=True)
    corners = place.reshape(-1)[corners]
    corners = corners[(corners[:, 0] != corners[:, 1]) & (corners[:, 1] != corners[:, 2]) & (corners[:, 0] != corners[:, 2])]
    ends = np.concatenate([corners, np.roll(corners, -1, axis=1)], axis=0).reshape(2, -1).T
    count = len(points) + 1
    keys = ends.min(axis=1) * count + ends.max(axis=1)
    forward = ends[:, 0] < ends[:, 1]
    edges, number = np.unique(keys, return_inverse=True)
    uses = np.bincount(number, minlength=len(edges))
    ahead = np.bincount(number, weights=forward, minlength=len(edges))
    return int(((uses == 2) & (ahead != 1)).sum())


def _skins(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    received, most = package.received, sheet.limits
    joints = [len(skin.joints) for skin in received.skins]
    yield from _over(sheet, "skin.joint-count", "Joints of a skin", max(joints, default=0), most.joints_skin)
    yield from _over(sheet, "skin.joint-count", "Joints in all", sum(joints), most.joints_total)
    for node in received.drawn:
        if node.skin < 0:
            continue
        pieces = received.meshes[node.mesh]
        influences = max((piece.influences for piece in pieces), default=0)
        yield from _over(
            sheet,
            "skin.influences",
            f"Joints on a vertex of {node.name}",
            influences,
            most.influences_vertex,
            node.name,
        )
        bare = sum(piece.bare for piece in pieces)
        if bare:
            yield _line(sheet, "skin.bare", f"{node.name}: {plural(bare, 'vertex', 'vertices')} that no joint carries", node.name)
    if received.skins and sheet.motion.skeleton:
        lost = _not_there(received, sheet)
        if lost:
            yield _line(sheet, "skin.required", f"The skeleton lacks {_listed(lost)}")


def _not_there(received: Received, sheet: RuleSheet) -> list[str]:
    """Joints that a sheet wants and no skin has, or has below another one."""
    above = {
        joint.casefold(): (parent or "").casefold()
        for skin in received.skins
        for joint, parent in zip(skin.joints, skin.above, strict=True)
    }
    known: dict[str, set[str]] = {}
    out = []
    for joint in sheet.motion.skeleton:
        names = {name.casefold() for name in (joint.name, *joint.also)}
        known[joint.name] = names
        there = [name for name in above if name in names]
        parents = known.get(joint.parent or "", {(joint.parent or "").casefold()})
        if not there or (joint.parent and above[there[0]] not in parents):
            out.append(joint.name)
    return out


def _files(package: Package, sheet: RuleSheet) -> Iterator[Line]:
    most, files = sheet.limits, package.files
    yield from _over(sheet, "handoff.files", "Files", len(files), most.files)
    for path, data in files.items():
        yield from _over(sheet, "handoff.file-size", f"Bytes of {path}", len(data), most.file_bytes, path)
    yield from _over(
        sheet, "handoff.package-size", "Bytes of the package", sum(len(data) for data in files.values()), most.package_bytes
    )
    wanted = sheet.names.thumbnail_of(package.main)
    if wanted is not None and not _is_there(wanted, files, sheet.names.case_matters):
        yield _line(sheet, "handoff.thumbnail", f"There is no thumbnail {wanted} in the package")
    if not sheet.names.case_matters:
        met = Counter(path.casefold() for path in files)
        clash = [path for path in files if met[path.casefold()] > 1]
        if clash:
            yield _line(sheet, "handoff.case-clash", f"{_listed(clash)}: one name where letter case does not count", clash[0])


def _is_there(path: str, files: Mapping[str, bytes], case_matters: bool) -> bool:
    """Whether a package has a file of this path that is an image."""
    same = (lambda other: other == path) if case_matters else (lambda other: other.casefold() == path.casefold())
    return any(same(other) and Picture(other, data).looked_at is not None for other, data in files.items())


def _listed(names: list[str]) -> str:
    """A few names, and how many more."""
    rest = len(names) - _SHOWN
    return ", ".join(names[:_SHOWN]) + (f" and {rest:,} more" if rest > 0 else "")
