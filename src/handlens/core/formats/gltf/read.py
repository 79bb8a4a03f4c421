"""glTF 2.0 (.gltf and .glb) into the neutral scene. Section numbers are those of the specification."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from ...limits import InputError
from ...packages import Package
from ...scene import Camera, Channel, Clip, Image, Light, Node, Problem, Scene, Skin
from ...scene.model import frozen
from ...surface.pictures import media_type, referenced
from ...words.arrays import F32, Array
from .document import Document, decode_data_uri, is_integer
from .levels import with_levels
from .materials import number_of, numbers, read_material
from .mesh import read_mesh
from .messages import say


def read(package: Package, path: str, data: bytes) -> Scene:
    """Read a glTF 2.0 file. Unit metre, Y up, right-handed (§3.4). Raises InputError."""
    doc = Document(package, path, data)
    problems: list[Problem] = []
    images = _images(doc)
    materials = tuple(read_material(doc, i, m, len(images), problems) for i, m in enumerate(doc.array("materials")))
    lights = _lights(doc)
    skins = tuple(_skin(doc, i, s, problems) for i, s in enumerate(doc.array("skins")))
    meshes = tuple(read_mesh(doc, i, len(materials), problems) for i in range(len(doc.array("meshes"))))
    counts = {"mesh": len(meshes), "skin": len(skins), "camera": len(doc.array("cameras")), "light": len(lights)}
    nodes = _nodes(doc, counts, problems)
    clips = tuple(_clip(doc, i, c, len(nodes), problems) for i, c in enumerate(doc.array("animations")))
    nodes, roots = with_levels(nodes, _roots(doc, nodes, problems), problems)
    return Scene(
        format="glb" if data[:4] == b"glTF" else "gltf",
        nodes=nodes,
        roots=roots,
        meshes=meshes,
        materials=materials,
        images=images,
        skins=skins,
        clips=clips,
        cameras=tuple(Camera(_text(c.get("name")), _nameless(c)) for c in doc.array("cameras")),
        lights=lights,
        unit_metres=1.0,
        up_axis="Y",
        problems=tuple(problems),
        files=tuple(dict.fromkeys(doc.used_files)),
        v_down=True,
        linear=True,
        extras={
            k: doc.json[k] for k in ("asset", "extensions", "extras", "extensionsUsed", "extensionsRequired") if k in doc.json
        },
    )


def _nameless(entry: Mapping[str, Any]) -> dict[str, Any]:
    return {k: v for k, v in entry.items() if k != "name"}


def _text(value: Any) -> str:
    return value if isinstance(value, str) else ""


# --- tree -------------------------------------------------------------------------------------


def _nodes(doc: Document, counts: Mapping[str, int], problems: list[Problem]) -> tuple[Node, ...]:
    raw = doc.array("nodes")
    adopted: dict[int, int] = {}
    nodes = []
    for i, entry in enumerate(raw):
        where = f"nodes[{i}]"
        children = entry.get("children", [])
        if not isinstance(children, list) or not all(is_integer(child) for child in children):
            raise doc.fail(where, "has children that are not numbers")
        kept = []
        for child in children:
            if not 0 <= child < len(raw):
                problems.append(Problem("broken-reference", say("gltf.no-such-child", i=i, child=child), where))
            elif child in adopted:
                problems.append(Problem("two-parents", say("gltf.two-parents", child=child, what=adopted[child], i=i), where))
            else:
                adopted[child] = i
                kept.append(child)
        matrix = numbers(doc, entry, "matrix", 16, (), where)
        extensions = entry.get("extensions")
        extensions = extensions if isinstance(extensions, dict) else {}
        light = extensions.get("KHR_lights_punctual")
        targets = {k: entry.get(k) for k in ("mesh", "skin", "camera")}
        targets["light"] = light.get("light") if isinstance(light, dict) else None
        for key, value in targets.items():
            if value is not None and not (is_integer(value) and 0 <= value < counts[key]):
                problems.append(Problem("broken-reference", say("gltf.node-uses-nothing", i=i, key=key, value=value), where))
                targets[key] = None
        visibility = extensions.get("KHR_node_visibility")
        nodes.append(
            Node(
                id=f"node:{i}",
                name=_text(entry.get("name")),
                translation=numbers(doc, entry, "translation", 3, (0.0, 0.0, 0.0), where),
                rotation=numbers(doc, entry, "rotation", 4, (0.0, 0.0, 0.0, 1.0), where),
                scale=numbers(doc, entry, "scale", 3, (1.0, 1.0, 1.0), where),
                matrix=frozen(np.array(matrix).reshape(4, 4).T.copy()) if matrix else None,
                children=tuple(kept),
                mesh=targets["mesh"],
                skin=targets["skin"],
                camera=targets["camera"],
                light=targets["light"],
                hidden=isinstance(visibility, dict) and visibility.get("visible") is False,
                morph_weights=tuple(w for w in map(number_of, entry.get("weights") or []) if w is not None),
                extras={k: entry[k] for k in ("extras", "extensions") if k in entry},
            )
        )
    _refuse_cycles(doc, nodes)
    return tuple(nodes)


def _refuse_cycles(doc: Document, nodes: list[Node]) -> None:
    """§3.5.2: the hierarchy is a set of strict trees. With one parent a node, a cycle is whatever no root reaches."""
    children = {child for n in nodes for child in n.children}
    reached: set[int] = set()
    stack = [i for i in range(len(nodes)) if i not in children]
    while stack:
        i = stack.pop()
        reached.add(i)
        stack.extend(nodes[i].children)
    lost = [i for i in range(len(nodes)) if i not in reached]
    if lost:
        raise doc.fail(f"nodes[{lost[0]}]", "is its own ancestor; the node tree runs in a circle")


def _roots(doc: Document, nodes: tuple[Node, ...], problems: list[Problem]) -> tuple[int, ...]:
    scenes = doc.array("scenes")
    chosen = doc.json.get("scene")
    if chosen is not None:
        if not is_integer(chosen):
            raise doc.fail("scene", f"is not a number ({chosen!r})")
        if 0 <= chosen < len(scenes):
            roots = scenes[chosen].get("nodes", [])
            if not isinstance(roots, list):
                raise doc.fail(f"scenes[{chosen}]", "has nodes that are not a list")
            good = [root for root in roots if is_integer(root) and 0 <= root < len(nodes)]
            if len(good) < len(roots):
                problems.append(Problem("broken-reference", say("gltf.no-such-nodes", chosen=chosen), f"scenes[{chosen}]"))
            return tuple(dict.fromkeys(good))
        problems.append(Problem("broken-reference", say("gltf.no-default-scene", chosen=chosen), "scene"))
    children = {child for n in nodes for child in n.children}
    return tuple(i for i in range(len(nodes)) if i not in children)


# --- materials, images --------------------------------------------------------------------------


def _images(doc: Document) -> tuple[Image, ...]:
    out = []
    for i, entry in enumerate(doc.array("images")):
        where, name, uri = f"images[{i}]", _text(entry.get("name")), entry.get("uri")
        if isinstance(uri, str) and not uri.startswith("data:"):
            image = referenced(doc.package, uri, doc.path, i, name)
            if image.found_at:
                doc.used_files.append((image.found_at, "image"))
            out.append(image)
            continue
        try:
            if isinstance(uri, str):
                data = decode_data_uri(uri, where)
            else:
                data = bytes(doc.view(doc.integer(entry, "bufferView", where), where)[0])
        except InputError:
            out.append(Image(f"image:{i}", name, name or f"image {i}", "missing"))
            continue
        kind = _text(entry.get("mimeType")) or media_type(data)
        out.append(Image(f"image:{i}", name, name or f"image {i}", "embedded", None, kind, lambda d=data: d))  # type: ignore[misc]
    return tuple(out)


def _lights(doc: Document) -> tuple[Light, ...]:
    extension = (
        (doc.json.get("extensions") or {}).get("KHR_lights_punctual") if isinstance(doc.json.get("extensions"), dict) else None
    )
    told = extension.get("lights") if isinstance(extension, dict) else None
    raw = told if isinstance(told, list) else []
    return tuple(Light(_text(light.get("name")), _nameless(light)) for light in raw if isinstance(light, dict))


# --- skins, clips -------------------------------------------------------------------------------


def _skin(doc: Document, i: int, entry: dict[str, Any], problems: list[Problem]) -> Skin:
    where = f"skins[{i}]"
    joints = entry.get("joints", [])
    if not isinstance(joints, list):
        raise doc.fail(where, "has joints that are not a list")
    total = len(doc.array("nodes"))
    good = [j for j in joints if is_integer(j) and 0 <= j < total]
    if len(good) < len(joints):
        problems.append(
            Problem(
                "skin",
                say(
                    "gltf.wrong-joints",
                    i=i,
                    count=len(joints) - len(good),
                    what="is no node" if len(joints) - len(good) == 1 else "are no nodes",
                ),
                where,
            )
        )
        good = [j if is_integer(j) and 0 <= j < total else 0 for j in joints] if total else []
    inverse: Array | None = None
    if "inverseBindMatrices" in entry:
        stored = doc.accessor(doc.integer(entry, "inverseBindMatrices", where), where, 16)
        inverse = stored.reshape(-1, 4, 4).transpose(0, 2, 1).astype(np.float64)
        if len(inverse) < len(good):
            text = f"Skin {i} has {len(good)} joints but {len(inverse)} bind matrices; the missing ones are taken as identity."
            problems.append(Problem("skin", text, where))
            inverse = np.concatenate([inverse, np.tile(np.eye(4), (len(good) - len(inverse), 1, 1))])
        inverse = frozen(np.ascontiguousarray(inverse[: len(good)]))
    skeleton = entry.get("skeleton")
    skeleton = skeleton if is_integer(skeleton) and 0 <= skeleton < total else None
    return Skin(f"skin:{i}", _text(entry.get("name")) or None, tuple(good), inverse, skeleton)


def _clip(doc: Document, i: int, entry: dict[str, Any], node_count: int, problems: list[Problem]) -> Clip:
    where = f"animations[{i}]"
    samplers = entry.get("samplers", [])
    channels = entry.get("channels", [])
    if not isinstance(samplers, list) or not isinstance(channels, list):
        raise doc.fail(where, "has channels or samplers that are not lists")
    out = []
    for place, channel in enumerate(channels):
        here = f"{where}.channels[{place}]"
        target = channel.get("target") if isinstance(channel, dict) else None
        number = channel.get("sampler") if isinstance(channel, dict) else None
        if not isinstance(target, dict) or not is_integer(number) or not 0 <= number < len(samplers):
            problems.append(Problem("clip", say("gltf.unusable-channel", place=place, i=i), here))
            continue
        node = target.get("node")
        if node is not None and not (is_integer(node) and 0 <= node < node_count):
            problems.append(Problem("clip", say("gltf.drives-no-node", place=place, i=i, node=node), here))
            node = None
        sampler = samplers[number]
        if not isinstance(sampler, dict):
            raise doc.fail(here, "has a sampler that is not an object")
        times = doc.accessor(doc.integer(sampler, "input", here), here, 1)[:, 0].astype(np.float32)
        values = doc.accessor(doc.integer(sampler, "output", here), here).astype(np.float32)
        way = _text(sampler.get("interpolation")) or "LINEAR"
        out.append(_channel(node, _text(target.get("path")), times, values, way, f"channel {place} of clip {i}", here, problems))
    return Clip(f"clip:{i}", _text(entry.get("name")) or None, tuple(out))


def _channel(
    node: int | None, path: str, times: F32, values: F32, way: str, label: str, where: str, problems: list[Problem]
) -> Channel:
    per_key = 3 if way == "CUBICSPLINE" else 1
    rows = len(times) * per_key
    if path == "weights" and rows and values.size % rows == 0:
        values = values.reshape(rows, -1)
    if len(values) != rows:
        text = f"The {label} has {len(times)} times but {len(values)} values; the shorter of the two is kept."
        problems.append(Problem("clip", text, where))
        keys = min(len(times), len(values) // per_key)
        times, values = times[:keys], values[: keys * per_key]
    return Channel(node, path, frozen(times.copy()), frozen(values.copy()), way)
