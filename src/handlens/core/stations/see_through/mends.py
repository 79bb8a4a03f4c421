"""See-through: set how materials are drawn, make alpha of brightness, divide colours, sample nearest, halve what wraps."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...edit.splitting import pieces, split_parts
from ...formats.table import BY_NAME
from ...geometry.uv_area import UvAreas
from ...kit.choice import PARTS, chosen_nodes
from ...kit.repaint import pixels_of, repainted
from ...limits import MendError
from ...measures.alpha import STRAY, alpha_figures
from ...measures.pictures import glows, picture
from ...measures.shown import base_colour, shown
from ...scene import Material, Scene
from ...scene.headings import heading
from ...scene.skinning import world_positions
from ...scene.transforms import walk, world_matrices
from ...surface.channels import LUMA
from ...surface.opacity import in_colour, mode_of
from ...words.arrays import F64, I32, U8, Array
from ...words.figures import percent
from .draw_order import NUMBER, draw_orders
from .messages import say
from .records import DrawOrderFigures
from .sweep import right_from

_MATERIALS = Parameter(
    "materials", "names", "which materials, by name with semicolons between; all that it is about where none is named", default=()
)
#: Pieces up to which taking a part apart into them is tried.
_FEW = 4
#: Where a material's picture of its colour is plugged in (glTF 2.0 §5.22).
_COLOUR = ("pbrMetallicRoughness", "baseColorTexture")
#: The filter of the standard that takes the nearest texel, without mips (glTF 2.0 §5.27).
_NEAREST = 9728


def _chosen(scene: Scene, materials: Sequence[str]) -> list[int]:
    found = [k for k, material in enumerate(scene.materials) if not materials or material.name in materials]
    if not found:
        raise MendError(
            say("see-through.no-such-material", material=materials[0]) if materials else say("see-through.no-materials")
        )
    return found


@mend(
    "see-through.set",
    title="Set how a material is drawn",
    button="Set the alpha mode of {materials}",
    keeps="images and every other value",
    costs="blending is sorted by part and drawn last; a cut-out has a hard rim",
    safe=False,
    parameters=[
        Parameter(
            "mode", "choice", "auto goes by the alpha of the image that it shows", ("auto", "opaque", "mask", "blend"), "auto"
        ),
        Parameter("cutoff", "number", "threshold of a cut-out, 0 to 1", default=0.5),
        _MATERIALS,
    ],
    after=("see-through.from-brightness",),
    touches="neither",
)
def set_mode(scene: Scene, mode: str, cutoff: float, materials: Sequence[str] = ()) -> Outcome:
    """Draw materials opaque, cut out at a threshold, or blended.

    Auto decides from each image's alpha where faces show it: solid but for stray pixels is opaque, two clusters are cut out at
    the threshold that parts them best, a gradient is blended. Materials without an image stay as they are.
    """
    changed, words = list(scene.materials), []
    used = {slot_material for mesh in scene.meshes for slot_material in mesh.slot_materials}
    painted, _ = in_colour(scene)
    for k in _chosen(scene, materials):
        material = scene.materials[k]
        if mode == "auto":
            if k not in used and not materials:
                continue
            found = recommended(painted, k)
            if found is None:
                continue
            wanted, at = found
        else:
            wanted, at = mode, float(np.clip(cutoff, 0.01, 1.0)) if mode == "mask" else None
        if mode_of(material) == wanted and (wanted != "mask" or abs((material.alpha_cutoff or 0.5) - (at or 0.5)) < 1e-6):
            continue
        changed[k] = with_mode(material, wanted, at)
        was = None if material.alpha_mode is None and mode_of(material) == "opaque" else mode_of(material)
        words.append(Figure(material.name or f"material {k}", _words(was, material.alpha_cutoff), _words(wanted, at)))
    if not words:
        raise MendError(say("see-through.set.already") if mode != "auto" else say("see-through.set.all-fit"))
    left = len(words) - 8
    remarks = (say("see-through.set.more", materials=left),) if left > 0 else ()
    return Outcome(scene.with_(materials=tuple(changed)), tuple(words[:8]), remarks)


def _words(mode: str | None, cutoff: float | None) -> str:
    return f"mask at {0.5 if cutoff is None else cutoff:g}" if mode == "mask" else mode or "not stated"


def recommended(scene: Scene, material: int) -> tuple[str, float | None] | None:
    """The mode that a material's image asks for and its threshold; None where it has no image that can be opened."""
    described = scene.materials[material]
    colour = base_colour(described)
    if colour is None or colour.image is None or scene.images[colour.image].load is None:
        return None
    try:
        pixels = pixels_of(scene.images[colour.image])
    except MendError:
        return None
    figures = alpha_figures(pixels)
    if figures.mode == "opaque" or ((shows := shown(scene, material, pixels, UvAreas())) is not None and shows.see <= 2 * STRAY):
        return ("opaque", None) if described.base_colour[3] >= 0.999 else None
    return figures.mode, figures.cutoff


def with_mode(material: Material, mode: str, cutoff: float | None) -> Material:
    """A material drawn another way (glTF 2.0 §3.9.4)."""
    solid = mode == "opaque"
    inputs = tuple(texture for texture in material.inputs if texture.role != "alpha") if solid else material.inputs
    # Where it is drawn solid its opacity counts for nothing, and formats without modes would draw by it.
    colour = (*material.base_colour[:3], 1.0) if solid else material.base_colour
    return replace(material, alpha_mode=mode, alpha_cutoff=cutoff if mode == "mask" else None, inputs=inputs, base_colour=colour)


@mend(
    "see-through.from-brightness",
    title="Make alpha from brightness",
    button="Make alpha from brightness in {materials}",
    keeps="the image that came; a new one is made beside it",
    costs="a blended material",
    safe=False,
    parameters=[
        Parameter(
            "by",
            "choice",
            "luma weighs red, green and blue as the eye does; greatest takes the brightest of them, for coloured glows",
            ("luma", "greatest"),
            "luma",
        ),
        _MATERIALS,
    ],
    touches="images",
)
def from_brightness(scene: Scene, by: str, materials: Sequence[str] = ()) -> Outcome:
    """Give materials a copy of their image whose alpha is its brightness, its colours divided by it, and blend them.

    Over black the copy looks as the image did. Brightness is taken of the stored values, as they are seen.
    """
    from PIL import Image as Pillow

    images, changed, made, names = list(scene.images), list(scene.materials), {}, []
    for k in _chosen(scene, materials):
        material = scene.materials[k]
        # A picture that only shines stands for the colour of what shines by it.
        colour = base_colour(material) or next(
            (texture for texture in material.inputs if texture.role == "emissive" and texture.image is not None), None
        )
        if colour is None or colour.image is None or scene.images[colour.image].load is None:
            continue
        look = picture(scene.images[colour.image]).figures.look
        if not materials and (look is None or not glows(look)):
            continue
        if colour.image not in made:
            made[colour.image] = len(images)
            pixels = brightness_as_alpha(pixels_of(scene.images[colour.image]), by)
            images.append(repainted(scene.images[colour.image], Pillow.fromarray(pixels), "png", "_alpha"))
            names.append(images[-1].reference)
        inputs = tuple(
            replace(texture, image=made[colour.image])
            if texture.image == colour.image and texture.role in ("base-colour", "emissive")
            else texture
            for texture in material.inputs
            if texture.role != "alpha"
        )
        if base_colour(material) is None:
            # Alpha is read off the picture of the colour alone (glTF 2.0 §3.9.4); black, so that it is the glow that is seen.
            inputs = (*inputs, replace(colour, role="base-colour", path=_COLOUR, image=made[colour.image]))
        changed[k] = with_mode(replace(material, inputs=inputs), "blend", None)
    if not made:
        raise MendError(say("see-through.from-brightness.unreadable") if materials else say("see-through.from-brightness.none"))
    return Outcome(
        scene.with_(images=tuple(images), materials=tuple(changed)),
        (Figure("images with alpha made", "0", f"{len(made):,}"),),
        (f"Made: {', '.join(names)}.",),
    )


def brightness_as_alpha(pixels: U8, by: str) -> U8:
    """(H, W, 4) uint8 whose alpha is the brightness of each pixel and whose colours, times alpha, are those that were there.

    Where luma is less than the greatest channel the colour cannot be kept whole: it is cut at 255.

    pixels: (H, W, 4) uint8.
    by: "luma" or "max".
    """
    rgb = pixels[:, :, :3].astype(np.float64)
    alpha = rgb.max(axis=2) if by == "greatest" else rgb @ LUMA
    alpha = np.rint(alpha)
    colour = np.divide(rgb * 255, alpha[:, :, None], out=np.zeros_like(rgb), where=alpha[:, :, None] > 0)
    return np.dstack([np.rint(colour).clip(0, 255), alpha]).astype(np.uint8)


@mend(
    "see-through.divide",
    title="Undo premultiplied alpha",
    button="Undo premultiplied alpha in {materials}",
    keeps="alpha, and every solid pixel",
    costs="colours of all but gone pixels are known to a few levels only",
    safe=False,
    parameters=[_MATERIALS],
    touches="images",
)
def divide(scene: Scene, materials: Sequence[str] = ()) -> Outcome:
    """Undo the multiplication of colours by alpha in the images of materials."""
    from PIL import Image as Pillow

    images, count = list(scene.images), 0
    for image in {painted.image for k in _chosen(scene, materials) if (painted := base_colour(scene.materials[k])) is not None}:
        assert image is not None
        if images[image].load is None:
            continue
        pixels = pixels_of(images[image])
        if not materials and not alpha_figures(pixels).premultiplied:
            continue
        alpha = pixels[:, :, 3:].astype(np.float64)
        rgb = np.divide(pixels[:, :, :3] * 255.0, alpha, out=np.zeros(pixels[:, :, :3].shape), where=alpha > 0)
        images[image] = repainted(
            images[image], Pillow.fromarray(np.dstack([np.rint(rgb).clip(0, 255), alpha]).astype(np.uint8)), "png"
        )
        count += 1
    if not count:
        raise MendError(say("see-through.divide.none"))
    return Outcome(scene.with_(images=tuple(images)), (Figure("images divided", "0", f"{count:,}"),))


@mend(
    "see-through.nearest",
    title="Sample the nearest pixel",
    button="Sample the nearest pixel of {materials}",
    keeps="the image, and how it repeats",
    costs="a shimmer where it is seen from afar",
    safe=False,
    parameters=[_MATERIALS],
)
def nearest(scene: Scene, materials: Sequence[str] = ()) -> Outcome:
    """Draw the images of materials without smoothing, each pixel as a square."""
    if BY_NAME[scene.format].family != "gltf":
        raise MendError(say("see-through.nearest.format", format=BY_NAME[scene.format].title))
    changed, count = list(scene.materials), 0
    for k in _chosen(scene, materials):
        material = scene.materials[k]
        inputs = tuple(
            replace(texture, sampler={**texture.sampler, "magFilter": _NEAREST, "minFilter": _NEAREST})
            if texture.role == "base-colour" and texture.image is not None and texture.sampler.get("magFilter") != _NEAREST
            else texture
            for texture in material.inputs
        )
        if any(a is not b for a, b in zip(inputs, material.inputs, strict=True)):
            changed[k] = replace(material, inputs=inputs)
            count += 1
    if not count:
        raise MendError(say("see-through.nearest.none"))
    return Outcome(scene.with_(materials=tuple(changed)), (Figure("materials that smooth", f"{count:,}", "0"),))


@mend(
    "see-through.halve",
    title="Split a part that wraps another",
    keeps="every face with all that hangs on it; none is cut",
    costs="a part, and so a draw call, more for each half; an open rim where a closed one is split",
    leaves=("surface.holes",),
    safe=False,
    parameters=[
        Parameter(
            "by",
            "choice",
            "best: what leaves least wrong of all of these; plane: faces to either side of the other part's middle; piece: connected pieces",
            ("best", "plane", "piece"),
            "best",
        ),
        Parameter(
            "axis",
            "choice",
            "square to which axis the plane stands; auto takes the side from which most is wrong",
            ("auto", "x", "y", "z"),
            "auto",
        ),
        PARTS,
    ],
)
def halve(scene: Scene, by: str, axis: str, parts: Sequence[str] = ()) -> Outcome:
    """Make two parts of a blended part that encloses or wraps another, so that one half is drawn before and one after it.

    Of parts that are named, only those are split. With by=best every way is tried on each of two, and the one kept that leaves
    the least in the wrong order.
    """
    chosen = chosen_nodes(scene, parts)
    before = draw_orders(scene, world_matrices(scene), _placed(scene))
    pairs = [
        d
        for d in sorted(before, key=lambda d: -d.wrong)
        if {d.first, d.second} & chosen and (by != "plane" or d.first != d.second)
    ]
    if not pairs:
        raise MendError(say("see-through.halve.none"))
    after, done, told, numbered = scene, set[int](), list[str](), set[int]()
    for pair in pairs:
        if {pair.first, pair.second} & done or not pair.wrong:
            continue
        made = _best_halves(after, pair, by, axis, chosen)
        if made is not None:
            halves = range(len(after.nodes), len(made[0].nodes))
            after, split = made
            done.add(split)
            other = pair.second if split == pair.first else pair.first
            if len(halves) == 2 and other != split:
                after, words = _numbered(after, [*halves, other], pair.worst)
                told.append(words)
                numbered |= {*halves, other}
    if not done:
        raise MendError(say("see-through.halve.no-gain"))
    now = draw_orders(after, world_matrices(after), _placed(after))
    share = lambda some: f"{percent(sum(d.wrong for d in some) / max(sum(d.both for d in some), 1))}"
    count = lambda s: f"{sum(n.mesh is not None for n in s.nodes):,}"
    remarks = (say("see-through.halve.left", share=share(now)),) if any(d.wrong for d in now) else ()
    up = scene.up_axis or "Y"
    holds = [
        say(
            "see-through.halve.holds",
            one=after.part_name(d.first),
            other=after.part_name(d.second),
            sides=right_from(d.numbered, up),
        )
        for d in now
        if {d.first, d.second} <= numbered and d.numbered is not None
    ]
    remarks = (*told, *holds, *remarks)
    return Outcome(
        after,
        (Figure("rays on which the order is wrong", share(before), share(now)), Figure("parts", count(scene), count(after))),
        remarks,
    )


def _placed(scene: Scene) -> list[int]:
    return [i for i in walk(scene) if scene.nodes[i].mesh is not None]


def _numbered(scene: Scene, nodes: list[int], toward: Sequence[float]) -> tuple[Scene, str]:
    """The scene with the order in which parts are to be drawn, the farthest first as seen from a side, as a property of each; and a sentence on it.

    toward: direction to the viewer in world axes. Formats with properties of nodes keep the number; none makes a destination go by it.
    """
    world = world_matrices(scene)
    middle = lambda i: world_positions(scene, i, world).mean(axis=0) @ np.array(toward)
    order = sorted(nodes, key=middle)
    changed = list(scene.nodes)
    for number, i in enumerate(order, 1):
        extras = changed[i].extras
        own = extras.get("extras")
        changed[i] = replace(
            changed[i], extras={**extras, "extras": {**(own if isinstance(own, Mapping) else {}), NUMBER: number}}
        )
    side = heading(list(toward), scene.up_axis or "Y")
    words = say("see-through.halve.order", side=side, names=", ".join(scene.part_name(i) for i in order))
    return scene.with_(nodes=tuple(changed)), str(words)


#: Shares of rays in the wrong order that far apart are about as little.
_AS_LITTLE = 0.05


def _best_halves(scene: Scene, figures: DrawOrderFigures, by: str, axis: str, chosen: set[int]) -> tuple[Scene, int] | None:
    """The scene with one part of a pair split in the way that leaves the least wrong, and which was; None where no way leaves less.

    What goes round the other is split where that leaves about as little: a ring, and not the ball that it holds.
    """
    world = world_matrices(scene)
    best: tuple[float, int, Scene, int, float] | None = None
    # The wider one goes round: a ring has less volume than the ball that it holds.
    width = lambda node: float(np.linalg.norm(np.ptp(world_positions(scene, node, world), axis=0)))
    round_it = max((figures.outer, figures.first, figures.second), key=width)
    for node in dict.fromkeys((figures.outer, figures.first, figures.second)):
        if node not in chosen:
            continue
        for way in _ways(scene, figures, node, world, by, axis):
            after, made = split_parts(scene, [node], partial(_same, way))
            if not made:
                continue
            involved = {figures.first, figures.second, *range(len(scene.nodes), len(after.nodes))}
            left = draw_orders(after, world_matrices(after), [i for i in _placed(after) if i in involved])
            wrong = sum(x.wrong for x in left) / max(sum(x.both for x in left), 1)
            found = (round(wrong + (0.0 if node == round_it else _AS_LITTLE), 4), len(after.nodes), after, node, wrong)
            if best is None or found[:2] < best[:2]:
                best = found
        # A way that is asked for is taken as it is.
    if best is None or (by == "best" and best[4] >= figures.wrong / max(figures.both, 1)):
        return None
    return best[2], best[3]


def _same(label: I32, _: int) -> I32:
    return label


def _ways(scene: Scene, figures: DrawOrderFigures, node: int, world: F64, by: str, axis: str) -> Iterator[Array]:
    """(F,) labels of the faces of a part, for each way in which it may be split."""
    mesh = scene.meshes[scene.nodes[node].mesh or 0]
    if by in ("best", "piece"):
        label = pieces(mesh)
        # Halves of a heap of pieces are no halves.
        if by == "piece" or len(np.unique(label)) <= _FEW:
            yield label
    if by == "piece" or (figures.first == figures.second and by == "plane") or not (mesh.corner_counts > 0).all():
        return
    other = figures.second if figures.first == node else figures.first
    points = world_positions(scene, other, world)
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    place = world_positions(scene, node, world)[mesh.corners]
    centres = np.add.reduceat(place, mesh.starts[:-1]) / mesh.corner_counts[:, None]
    auto = int(np.abs(figures.worst).argmax())
    for k in [auto] if by == "plane" and axis == "auto" else range(3) if axis == "auto" else ["xyz".index(axis)]:
        label = (centres[:, k] > middle[k]).astype(np.int32)
        if 0 < label.sum() < len(label):
            yield label
