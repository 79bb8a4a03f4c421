"""The neutral scene into 3MF: triangles, an object a part, base materials or textured groups; Z up and in one of its units.

Chapters are those of the 3MF Core Specification 1.3; packaging is that of the Open Packaging Conventions (ECMA-376-2).
"""

from __future__ import annotations

import io
import zipfile
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from ..colour import converted
from ..format_table import BY_NAME
from ..limits import plural
from ..scene import Mesh, Scene
from ..scene.axes import turn_between
from ..scene.triangles import triangulate
from .accepted import PLAIN_KINDS, accepted, left_out, told
from .flat import flat_parts
from .layout import PLAIN, Layout
from .losses import losses
from .pictures import media_type
from .threemf import UNITS

_CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
_MATERIAL = "http://schemas.microsoft.com/3dmanufacturing/material/2015/02"
_RELATION = "http://schemas.openxmlformats.org/package/2006/relationships"
_ENDINGS = {"image/png": "png", "image/jpeg": "jpeg"}


def write(scene: Scene, format_name: str, stem: str, layout: Layout = PLAIN) -> dict[str, bytes]:
    """{file name: bytes}. A unit that the format does not know is converted to millimetres; none stated counts as millimetres."""
    return {f"{stem}.3mf": _Writer(accepted(scene, PLAIN_KINDS)).package()}


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that a 3MF cannot hold."""
    lost = losses(scene, format_name)
    if scene.unit_metres is not None and _unit(scene) is None:
        lost.append(f"The unit of {scene.unit_metres:g} m is none of the format's, so lengths are written in millimetres.")
    if scene.up_axis is not None and scene.up_axis != "Z":
        lost.append("Z is up in the format, so the model is turned.")
    pictured = [m.name for m in scene.materials if any(t.role == "base-colour" and t.image is not None for t in m.inputs)]
    if any(pictured):
        lost.append(
            f"Materials with an image are that image alone; their names are left out: {', '.join(filter(None, pictured[:5]))}."
        )
    lost += told(scene, PLAIN_KINDS, "3MF")
    other = left_out(scene, PLAIN_KINDS)
    if other:
        lost.append(f"{plural(other, 'image is', 'images are')} neither PNG nor JPEG and left out.")
    return lost


def _unit(scene: Scene) -> str | None:
    return next((u for u, m in UNITS.items() if scene.unit_metres is not None and abs(m - scene.unit_metres) < 1e-9 * m), None)


class _Writer:
    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        unit = _unit(scene)
        self.unit = unit or "millimeter"
        self.factor = 1.0 if unit or scene.unit_metres is None else scene.unit_metres * 1000
        self.turn = turn_between(scene.up_axis or "Z", "Z")
        self.resources: list[str] = []
        self.next_id = 1
        self.pictures: dict[int, tuple[str, bytes]] = {}
        self.texture_ids: dict[int, int] = {}
        self.base_rows: list[int] = []

    def new_id(self) -> int:
        self.next_id += 1
        return self.next_id - 1

    def package(self) -> bytes:
        self.base = self.new_id()
        for k, m in enumerate(self.scene.materials):
            image = next((t.image for t in m.inputs if t.role == "base-colour"), None)
            if image is not None:
                self.picture(k, image)
        items = [self.part(name, mesh) for name, mesh in flat_parts(self.scene)]
        self.base_materials()
        text = (
            f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="{self.unit}" xml:lang="en" xmlns="{_CORE}" xmlns:m="{_MATERIAL}">'
            f"<resources>{''.join(self.resources)}</resources><build>{''.join(items)}</build></model>"
        )
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            types = "".join(f'<Default Extension="{e}" ContentType="{t}"/>' for t, e in _ENDINGS.items())
            write = lambda name, text: archive.writestr(zipfile.ZipInfo(name, (2000, 1, 1, 0, 0, 0)), text, zipfile.ZIP_DEFLATED)
            write(
                "[Content_Types].xml",
                '<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
                '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
                f'<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>{types}</Types>',
            )
            write("_rels/.rels", self.relations([("/3D/3dmodel.model", f"{_CORE.rpartition('/core')[0]}/2013/01/3dmodel")]))
            write("3D/3dmodel.model", text)
            if self.pictures:
                kind = f"{_CORE.rpartition('/core')[0]}/2013/01/3dtexture"
                write("3D/_rels/3dmodel.model.rels", self.relations([(f"/{p}", kind) for p, _ in self.pictures.values()]))
            for path, data in self.pictures.values():
                write(path, data)
        return out.getvalue()

    def relations(self, targets: list[tuple[str, str]]) -> str:
        rows = "".join(f'<Relationship Id="r{k}" Target={quoteattr(t)} Type="{kind}"/>' for k, (t, kind) in enumerate(targets))
        return f'<?xml version="1.0" encoding="UTF-8"?><Relationships xmlns="{_RELATION}">{rows}</Relationships>'

    def base_materials(self) -> None:
        """The materials that triangles name, and those that none uses; what has a picture is named by that alone."""
        used = {material for mesh in self.scene.meshes for material in mesh.slot_materials}
        for k in range(len(self.scene.materials)):
            if k not in used:
                self.base_index(k)
        if not self.base_rows:
            return
        linear = BY_NAME[self.scene.format].linear
        rows = []
        for k in self.base_rows:
            m = self.scene.materials[k]
            shown = converted(m.base_colour, linear, False)
            colour = "".join(f"{round(255 * min(max(float(v), 0.0), 1.0)):02X}" for v in shown)
            rows.append(f'<base name={quoteattr(m.name or f"material_{k}")} displaycolor="#{colour}"/>')
        self.resources.insert(0, f'<basematerials id="{self.base}">{"".join(rows)}</basematerials>')

    def base_index(self, material: int) -> int:
        """Place of a material among the base materials."""
        if material not in self.base_rows:
            self.base_rows.append(material)
        return self.base_rows.index(material)

    def picture(self, material: int, number: int) -> None:
        """A texture for a material; materials with the same image each have one, so that they stay apart."""
        data = self.scene.images[number].bytes()
        kind = media_type(data) if data else None
        if data is None or kind not in _ENDINGS:
            return
        path = f"3D/Textures/image_{number}.{_ENDINGS[kind]}"
        self.pictures[number] = (path, data)
        self.texture_ids[material] = self.new_id()
        self.resources.append(f'<m:texture2d id="{self.texture_ids[material]}" path="/{escape(path)}" contenttype="{kind}"/>')

    def part(self, name: str, mesh: Mesh) -> str:
        triangles, face = triangulate(mesh)
        positions = mesh.positions @ self.turn.T * self.factor
        slots = mesh.slots[face] if len(mesh.slots) else np.zeros(len(face), np.int32)
        groups = {s: self.texture_group(mesh, s) for s in np.unique(slots).tolist()}
        corners = mesh.corners[triangles]
        uv = mesh.uvs[0].index.tolist() if mesh.uvs else []
        rows = [
            self.triangle(v, c, groups[s], self.material(mesh, s), uv)
            for v, c, s in zip(corners.tolist(), triangles.tolist(), slots.tolist(), strict=True)
        ]
        points = "".join(f'<vertex x="{x!r}" y="{y!r}" z="{z!r}"/>' for x, y, z in positions.tolist())
        key = self.new_id()
        body = f"<mesh><vertices>{points}</vertices><triangles>{''.join(rows)}</triangles></mesh>"
        self.resources.append(f'<object id="{key}" type="model" name={quoteattr(name)}>{body}</object>')
        return f'<item objectid="{key}"/>'

    def material(self, mesh: Mesh, slot: int) -> int:
        return mesh.slot_materials[slot] if slot < len(mesh.slot_materials) else -1

    def texture_group(self, mesh: Mesh, slot: int) -> int | None:
        """A group with the mesh's UVs over the picture of a slot's material, None where it has no such picture."""
        number = self.material(mesh, slot)
        slot_input = (
            next((t for t in self.scene.materials[number].inputs if t.role == "base-colour"), None) if number >= 0 else None
        )
        if slot_input is None or number not in self.texture_ids or not mesh.uvs:
            return None
        uv = mesh.uvs[0].values.astype(np.float64)
        # v counts upwards from the picture's bottom (materials extension, chapter 6).
        rows = np.column_stack([uv[:, 0], 1 - uv[:, 1]]) if BY_NAME[self.scene.format].v_down else uv
        key = self.new_id()
        text = "".join(f'<m:tex2coord u="{u!r}" v="{v!r}"/>' for u, v in rows.tolist())
        self.resources.append(f'<m:texture2dgroup id="{key}" texid="{self.texture_ids[number]}">{text}</m:texture2dgroup>')
        return key

    def triangle(self, v: list[int], c: list[int], group: int | None, material: int, uv: list[int]) -> str:
        place = f'<triangle v1="{v[0]}" v2="{v[1]}" v3="{v[2]}"'
        if group is not None:
            p = [uv[k] for k in c]
            if min(p) >= 0:
                return f'{place} pid="{group}" p1="{p[0]}" p2="{p[1]}" p3="{p[2]}"/>'
        return f'{place} pid="{self.base}" p1="{self.base_index(material)}"/>' if material >= 0 else f"{place}/>"
