"""The neutral scene into 3MF: triangles, an object a part, base materials or textured groups; Z up and in one of its units.

Chapters are those of the 3MF Core Specification 1.3; packaging is that of the Open Packaging Conventions (ECMA-376-2).
"""

from __future__ import annotations

import io
import zipfile
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from ...scene import Mesh, Scene, TextureInput
from ...scene.wrapping import CLAMP, MIRROR, REPEAT
from ..conform.frame import THREEMF_UNITS
from ..conform.steps import Target

_CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
_MATERIAL = "http://schemas.microsoft.com/3dmanufacturing/material/2015/02"
_RELATION = "http://schemas.openxmlformats.org/package/2006/relationships"
_KINDS = {"png": "image/png", "jpeg": "image/jpeg"}
_TILES = {REPEAT: "wrap", MIRROR: "mirror", CLAMP: "clamp"}


def write(scene: Scene, target: Target) -> dict[str, bytes]:
    """{file name: bytes} of a scene that a 3MF can hold (`formats.conform`): a material is a colour or a picture."""
    return {f"{target.stem}.3mf": _Writer(scene).package()}


class _Writer:
    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.unit = next(
            u for u, m in THREEMF_UNITS.items() if scene.unit_metres is not None and abs(m - scene.unit_metres) < 1e-9 * m
        )
        self.resources: list[str] = []
        self.next_id = 1
        #: Texture of each material that is a picture, and place among the base materials of each that is a colour.
        self.texture_ids: dict[int, int] = {}
        self.base_rows = {k: row for row, k in enumerate(k for k, material in enumerate(scene.materials) if not material.inputs)}

    def new_id(self) -> int:
        self.next_id += 1
        return self.next_id - 1

    def package(self) -> bytes:
        self.base = self.new_id()
        self.base_materials()
        for k, material in enumerate(self.scene.materials):
            if material.inputs:
                self.picture(k, material.inputs[0])
        items = [self.part(self.scene.meshes[n.mesh]) for n in self.scene.nodes if n.mesh is not None]
        pictures = [(i.reference, i.bytes() or b"") for i in self.scene.images]
        text = (
            f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="{self.unit}" xml:lang="en" xmlns="{_CORE}" xmlns:m="{_MATERIAL}">'
            f"<resources>{''.join(self.resources)}</resources><build>{''.join(items)}</build></model>"
        )
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            types = "".join(f'<Default Extension="{e}" ContentType="{t}"/>' for e, t in _KINDS.items())
            write = lambda name, text: archive.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)), text, zipfile.ZIP_DEFLATED)
            write(
                "[Content_Types].xml",
                '<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
                '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
                f'<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>{types}</Types>',
            )
            write("_rels/.rels", self.relations([("/3D/3dmodel.model", f"{_CORE.rpartition('/core')[0]}/2013/01/3dmodel")]))
            write("3D/3dmodel.model", text)
            if pictures:
                kind = f"{_CORE.rpartition('/core')[0]}/2013/01/3dtexture"
                write("3D/_rels/3dmodel.model.rels", self.relations([(f"/{p}", kind) for p, _ in pictures]))
            for path, data in pictures:
                write(path, data)
        return out.getvalue()

    def relations(self, targets: list[tuple[str, str]]) -> str:
        rows = "".join(f'<Relationship Id="r{k}" Target={quoteattr(t)} Type="{kind}"/>' for k, (t, kind) in enumerate(targets))
        return f'<?xml version="1.0" encoding="UTF-8"?><Relationships xmlns="{_RELATION}">{rows}</Relationships>'

    def base_materials(self) -> None:
        rows = []
        for k in self.base_rows:
            material = self.scene.materials[k]
            colour = "".join(f"{round(255 * v):02X}" for v in material.base_colour)
            rows.append(f'<base name={quoteattr(material.name)} displaycolor="#{colour}"/>')
        if rows:
            self.resources.append(f'<basematerials id="{self.base}">{"".join(rows)}</basematerials>')

    def picture(self, material: int, texture: TextureInput) -> None:
        """A texture for a material; materials with the same image each have one, so that they stay apart."""
        assert texture.image is not None
        path = self.scene.images[texture.image].reference
        kind = _KINDS[path.rpartition(".")[2]]
        ways = zip(("tilestyleu", "tilestylev"), (texture.sampler.get("wrapS"), texture.sampler.get("wrapT")), strict=True)
        tiles = "".join(f' {key}="{_TILES[way]}"' for key, way in ways if way in _TILES)
        self.texture_ids[material] = self.new_id()
        self.resources.append(
            f'<m:texture2d id="{self.texture_ids[material]}" path="/{escape(path)}" contenttype="{kind}"{tiles}/>'
        )

    def part(self, mesh: Mesh) -> str:
        slots = mesh.slots if len(mesh.slots) else np.zeros(mesh.face_count, np.int32)
        groups = {s: self.texture_group(mesh, self.material(mesh, s)) for s in np.unique(slots).tolist()}
        uv = mesh.uvs[0].index.reshape(-1, 3).tolist() if mesh.uvs else [[]] * mesh.face_count
        rows = [
            self.triangle(v, p, groups[s], self.material(mesh, s))
            for v, p, s in zip(mesh.corners.reshape(-1, 3).tolist(), uv, slots.tolist(), strict=True)
        ]
        points = "".join(f'<vertex x="{x!r}" y="{y!r}" z="{z!r}"/>' for x, y, z in mesh.positions.tolist())
        key = self.new_id()
        body = f"<mesh><vertices>{points}</vertices><triangles>{''.join(rows)}</triangles></mesh>"
        self.resources.append(f'<object id="{key}" type="model" name={quoteattr(mesh.name)}>{body}</object>')
        return f'<item objectid="{key}"/>'

    def material(self, mesh: Mesh, slot: int) -> int:
        return mesh.slot_materials[slot] if slot < len(mesh.slot_materials) else -1

    def texture_group(self, mesh: Mesh, material: int) -> int | None:
        """A group with the mesh's UVs over the picture of a material, None where it is no picture."""
        if material not in self.texture_ids:
            return None
        key = self.new_id()
        text = "".join(f'<m:tex2coord u="{u!r}" v="{v!r}"/>' for u, v in mesh.uvs[0].values.astype(np.float64).tolist())
        self.resources.append(f'<m:texture2dgroup id="{key}" texid="{self.texture_ids[material]}">{text}</m:texture2dgroup>')
        return key

    def triangle(self, corners: list[int], properties: list[int], group: int | None, material: int) -> str:
        place = f'<triangle v1="{corners[0]}" v2="{corners[1]}" v3="{corners[2]}"'
        if group is not None:
            return f'{place} pid="{group}" p1="{properties[0]}" p2="{properties[1]}" p3="{properties[2]}"/>'
        return f'{place} pid="{self.base}" p1="{self.base_rows[material]}"/>' if material >= 0 else f"{place}/>"
