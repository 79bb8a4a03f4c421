"""Demo models whose trouble is in their pictures: where they lie, what can be seen through them, in which order they are drawn."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PIL import Image as Pillow
from PIL import ImageDraw

import shapes as sh
from blocks import OUT, bands, material, mesh, picture, save, wood
from handlens.core.formats import write
from handlens.core.scene import Layer, Material, Mesh, Node, Scene, TextureInput


def card(
    number: int,
    name: str,
    wide: float,
    high: float,
    slot: int,
    at: tuple[float, float, float] = (0, 0, 0),
    turn: float = 0.0,
    v_down: bool = True,
) -> Mesh:
    """An upright card that shows its image, standing on its lower edge."""
    x, z = np.cos(turn) * wide / 2, -np.sin(turn) * wide / 2
    points = np.array([[-x, 0, -z], [x, 0, z], [x, high, z], [-x, high, -z]]) + at
    made = mesh(number, name, (points.tolist(), [[0, 1, 2, 3]]), slot)
    low, high_v = (1, 0) if v_down else (0, 1)
    uv = np.array([[0, low], [1, low], [1, high_v], [0, high_v]], np.float32)
    return replace(made, uvs=(Layer(uv, np.arange(4, dtype=np.int32)),))


def square(made: Mesh) -> Mesh:
    """A box whose six sides each take a place of their own on the image, three by two, with room between."""
    uv = []
    for k in range(made.face_count):
        u, v = (k % 3) / 3 + 0.02, (k // 3) / 2 + 0.02
        uv += [[u, v], [u + 0.29, v], [u + 0.29, v + 0.46], [u, v + 0.46]]
    return replace(made, uvs=(Layer(np.array(uv, np.float32), np.arange(len(made.corners), dtype=np.int32)),))


def lettered(text: str) -> Pillow.Image:
    board = wood(256, 128, (206, 186, 140)).convert("RGB")
    pen = ImageDraw.Draw(board)
    pen.rectangle([8, 8, 247, 119], outline=(58, 70, 74), width=4)
    pen.text((34, 44), text, fill=(58, 70, 74), font_size=34)
    return board


def ferry_signboard() -> tuple[str, list[str]]:
    """Names its pictures as one machine had them: by drive letter, in other capitals, by a name that has changed since."""
    front, back = lettered("FERRY"), wood(256, 128, (170, 140, 98))
    y, x = np.mgrid[0:128, 0:128]
    # Grain as heights: it lights like nothing when it is read as directions.
    heights = Pillow.fromarray((127 + 60 * np.sin(x / 5 + 2 * np.sin(y / 23))).astype(np.uint8)).convert("RGB")
    images = tuple(
        picture(k, n, p)
        for k, (n, p) in enumerate([("board_front.png", front), ("board_back.png", back), ("grain.png", heights)])
    )
    grain = TextureInput("normal", ("normalTexture",), 2)
    boards = [
        material(0, "board front", "C4AA7E", 0, linear=False),
        material(1, "board back", "C4AA7E", 1, linear=False),
        material(2, "post", "6A7274", linear=False),
    ]
    boards[1] = replace(boards[1], inputs=(*boards[1].inputs, grain))
    meshes = (
        card(0, "front", 1.2, 0.6, 0, (0, 1.4, 0.03), v_down=False),
        card(1, "back", 1.2, 0.6, 1, (0, 1.4, -0.03), np.pi, v_down=False),
        mesh(2, "posts", sh.join(sh.box((0.08, 2.1, 0.08), (-0.66, 1.05, 0)), sh.box((0.08, 2.1, 0.08), (0.66, 1.05, 0))), 2),
    )
    nodes = tuple(Node(f"node:{k}", m.name, mesh=k) for k, m in enumerate(meshes))
    scene = Scene("obj", nodes, (0, 1, 2), meshes, tuple(boards), images)
    save("ferry_signboard", scene, "obj", "ferry_signboard")
    place = OUT / "ferry_signboard"
    library = place / "ferry_signboard.mtl"
    text = library.read_text()
    text = text.replace("map_Kd board_front.png", r"map_Kd Q:\quay\boards\board_front.png")
    text = text.replace("map_Kd board_back.png", "map_Kd Board_Back.png")
    library.write_text(text + "\nnewmtl rope\nKd 0.7 0.6 0.4\nmap_Kd rope_coil.png\n")
    model = place / "ferry_signboard.obj"
    # A coil of rope hangs at the post; its picture was renamed on the way.
    rope = sh.ring(0.16, 0.03, (0.66, 1.2, 0.1), 16, 6)
    count = sum(len(m.positions) for m in meshes)
    lines = ["o rope", "usemtl rope", *(f"v {p[0]:.5g} {p[1]:.5g} {p[2]:.5g}" for p in rope[0])]
    lines += ["vt 0.25 0.25", "vt 0.75 0.25", "vt 0.75 0.75", "vt 0.25 0.75"]
    tail = model.read_text().count("\nvt ")
    lines += ["f " + " ".join(f"{i + 1 + count}/{tail + 1 + k % 4}" for k, i in enumerate(f)) for f in rope[1]]
    model.write_text(model.read_text() + "\n".join(lines) + "\n")
    coil = place / "rope_coil_old.png"
    wood(64, 64, (178, 152, 104)).save(coil)
    return "ferry_signboard", [
        "ferry_signboard.obj",
        "ferry_signboard.mtl",
        "board_front.png",
        "board_back.png",
        "grain.png",
        "rope_coil_old.png",
    ]


def blades(size: int) -> Pillow.Image:
    """Reed blades cut out of nothing, with a smoothed rim."""
    big = Pillow.new("RGBA", (size * 4, size * 4), (112, 128, 78, 0))
    pen = ImageDraw.Draw(big)
    dice = np.random.default_rng(4)
    for k in range(14):
        x, lean = (k + 0.5) * size * 4 / 14, float(dice.uniform(-0.06, 0.06)) * size * 4
        wide = size * 4 * 0.018
        shade = int(dice.integers(-14, 14))
        pen.polygon(
            [(x - wide, size * 4), (x + wide, size * 4), (x + lean, float(dice.uniform(0.02, 0.25)) * size * 4)],
            fill=(112 + shade, 128 + shade, 78, 255),
        )
    return big.resize((size, size), Pillow.Resampling.BOX)


def reeds() -> tuple[str, list[str]]:
    """One tuft is drawn solid over a cut-out, one is blended though cut out would do; the mud has three stray pixels."""
    mud = wood(64, 64, (122, 104, 82)).convert("RGBA")
    for at in ((3, 9), (40, 22), (55, 61)):
        mud.putpixel(at, (122, 104, 82, 236))
    images = (picture(0, "blades.png", blades(128)), picture(1, "mud.png", mud))
    materials = (
        replace(material(0, "reed solid", "70804E", 0), double_sided=True),
        replace(material(1, "reed blended", "70804E", 0, "blend"), double_sided=True),
        material(2, "mud", "7A6852", 1),
    )
    materials = tuple(replace(m, source={**m.source, "doubleSided": True}) if m.double_sided else m for m in materials)
    meshes = (
        card(0, "tuft near", 0.9, 1.6, 0, (-0.3, 0.05, 0.2), 0.4),
        card(1, "tuft far", 0.9, 1.5, 1, (0.35, 0.05, -0.3), -0.3),
        square(mesh(2, "mud bank", sh.box((1.9, 0.1, 1.4), (0, 0, 0)), 2)),
    )
    nodes = tuple(Node(f"node:{k}", m.name, mesh=k) for k, m in enumerate(meshes))
    scene = Scene("glb", nodes, (0, 1, 2), meshes, materials, images, unit_metres=1.0, up_axis="Y")
    return "reeds", save("reeds", scene, "glb", "reeds")


def glow(size: int) -> Pillow.Image:
    """A flame on black, fading into it, without any alpha."""
    y, x = np.mgrid[0:size, 0:size] / (size - 1)
    height = np.clip((0.92 - y) / 0.8, 0, 1)
    wide = 0.26 * np.sqrt(np.clip(1 - height, 0, 1)) * (y < 0.95) + 1e-6
    away = ((x - 0.5) / wide) ** 2 + ((y - 0.68) / 0.42) ** 2
    heat = np.clip(1.15 * np.exp(-1.6 * away) - 0.03, 0, 1)
    heat[(x < 0.06) | (x > 0.94) | (y < 0.06) | (y > 0.97)] = 0
    colour = np.stack([np.clip(heat * 1.6, 0, 1), np.clip(heat * 1.05, 0, 1) ** 1.4, np.clip(heat, 0, 1) ** 3], axis=-1)
    return Pillow.fromarray((255 * colour).astype(np.uint8))


def sparks() -> Pillow.Image:
    """A plate of ember drawn pixel by pixel."""
    plan = ["........", "..rr....", ".rooor..", ".rowor..", "..roor.r", "...rr...", ".r....r.", "........"]
    colours = {".": (52, 40, 36), "r": (150, 62, 40), "o": (206, 122, 58), "w": (244, 214, 150)}
    drawn = Pillow.new("RGB", (16, 16))
    for y in range(16):
        for x in range(16):
            drawn.putpixel((x, y), colours[plan[(y + 3 * (x // 8)) % 8][x % 8]])
    return drawn


def lantern_flame() -> tuple[str, list[str]]:
    """A flame that is a glow on black, glass that is blended though it is solid, an ember drawn pixel by pixel."""
    images = (
        picture(0, "flame.png", glow(128)),
        picture(1, "glass.png", wood(64, 64, (196, 206, 200))),
        picture(2, "ember.png", sparks()),
    )
    flame = material(0, "flame", "FFFFFF", 0)
    lit = TextureInput("emissive", ("emissiveTexture",), 0)
    flame = replace(
        flame,
        inputs=(*flame.inputs, lit),
        emissive=(1.0, 1.0, 1.0),
        double_sided=True,
        source={**flame.source, "emissiveFactor": [1.0, 1.0, 1.0], "doubleSided": True},
    )
    materials = (
        flame,
        material(1, "chimney", "C4CEC8", 1, "blend"),
        material(2, "ember", "FFFFFF", 2),
        material(3, "brass", "8C7642"),
    )
    chimney = mesh(1, "chimney", sh.lathe([(0.075, 0.09), (0.085, 0.16), (0.07, 0.26)], 20), 1, "round")
    foot = sh.join(sh.lathe([(0.09, 0.0), (0.09, 0.03), (0.03, 0.05), (0.03, 0.08)], 20))
    meshes = (
        card(0, "flame", 0.08, 0.13, 0, (0, 0.1, 0)),
        chimney,
        square(mesh(2, "ember", sh.box((0.03, 0.012, 0.03), (0, 0.088, 0)), 2)),
        mesh(3, "foot", foot, 3),
    )
    nodes = tuple(Node(f"node:{k}", m.name, mesh=k) for k, m in enumerate(meshes))
    scene = Scene("glb", nodes, (0, 1, 2, 3), meshes, materials, images, unit_metres=1.0, up_axis="Y")
    return "lantern_flame", save("lantern_flame", scene, "glb", "lantern_flame")


def glass_floats() -> tuple[str, list[str]]:
    """Glass within glass, and a ring of glass about a third: no order of whole parts is right from all sides."""
    tint = lambda k, name, rgb: Material(
        f"material:{k}",
        name,
        (*rgb, 0.45),
        0.0,
        0.1,
        alpha_mode="blend",
        double_sided=False,
        source={
            "pbrMetallicRoughness": {"baseColorFactor": [*rgb, 0.45], "metallicFactor": 0.0, "roughnessFactor": 0.1},
            "alphaMode": "BLEND",
        },
    )
    materials = (
        tint(0, "glass green", (0.35, 0.55, 0.45)),
        tint(1, "glass clear", (0.7, 0.75, 0.72)),
        tint(2, "glass amber", (0.7, 0.5, 0.25)),
    )
    parts = [
        ("float", sh.ellipsoid((0.15, 0.15, 0.15), (0, 0.15, 0), 12, 20), 0),
        ("float within", sh.ellipsoid((0.07, 0.07, 0.07), (0.04, 0.13, 0.02), 10, 16), 1),
        ("float amber", sh.ellipsoid((0.1, 0.1, 0.1), (0.42, 0.13, 0), 12, 20), 2),
        ("float ring", sh.ring(0.14, 0.02, (0.42, 0.13, 0), 28, 8, upright=False), 1),
    ]
    meshes = tuple(mesh(k, name, solid, slot) for k, (name, solid, slot) in enumerate(parts))
    nodes = tuple(Node(f"node:{k}", m.name, mesh=k) for k, m in enumerate(meshes))
    scene = Scene("glb", nodes, (0, 1, 2, 3), meshes, materials, (), unit_metres=1.0, up_axis="Y")
    return "glass_floats", save("glass_floats", scene, "glb", "glass_floats")


def moorings() -> tuple[str, list[str]]:
    """Two colourings of one buoy. The green one was copied from the red: it still wears the red one's picture, and the list of
    moorings names it in other capitals, with one letter off, and by a file that is not there."""
    made = []
    t = np.linspace(-np.pi / 2, np.pi / 2, 13)
    float_ = sh.lathe([(0 if k in (0, 12) else 0.36 * np.cos(a), 0.5 + 0.36 * np.sin(a)) for k, a in enumerate(t)], 24)
    ring = sh.ring(0.09, 0.026, (0, 0.92, 0), 20, 8)
    for name in ("red", "green"):
        images = (picture(0, "buoy_red.png", bands()),)
        materials = (material(0, f"buoy {name}", "B25442", 0, linear=False), material(1, "iron", "6A7274", linear=False))
        meshes = (mesh(0, "float", float_, 0, "round"), mesh(1, "lifting ring", ring, 1))
        nodes = tuple(Node(f"node:{k}", m.name, mesh=k) for k, m in enumerate(meshes))
        scene = Scene("obj", nodes, (0, 1), meshes, materials, images)
        made.append(write(scene, "obj", f"buoy_{name}"))
    place = OUT / "moorings"
    place.mkdir(parents=True, exist_ok=True)
    for old in place.iterdir():
        old.unlink()
    files = made[1] | made[0]
    files["moorings.xml"] = b"""<?xml version="1.0" encoding="UTF-8"?>
<moorings place="Mudlark Quay">
  <mooring model="buoy_red.obj" paint="buoy red" ring="lifting ring" picture="buoy_red.png"/>
  <mooring model="buoy_green.obj" paint="Buoy Green" ring="lifting rng" picture="buoy_red.png"/>
  <chart picture="soundings.png"/>
</moorings>
"""
    for name, data in files.items():
        (place / name).write_bytes(data)
    return "moorings", ["buoy_green.obj", *sorted(n for n in files if n != "buoy_green.obj")]


PAINTED = (ferry_signboard, reeds, lantern_flame, glass_floats, moorings)
