"""COLLADA documents in a few lines."""

from __future__ import annotations

DAE = """<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><unit meter="0.0254" name="inch"/><up_axis>Z_UP</up_axis></asset>
<library_images><image id="i"><init_from>{image}</init_from></image></library_images>
<library_effects><effect id="e"><profile_COMMON>
<newparam sid="s"><surface type="2D"><init_from>i</init_from></surface></newparam><newparam sid="t"><sampler2D><source>s</source><wrap_s>CLAMP</wrap_s></sampler2D></newparam>
<technique sid="c"><phong><diffuse><texture texture="t" texcoord="UV"/></diffuse>{opacity}</phong></technique></profile_COMMON></effect></library_effects>
<library_materials><material id="m" name="net"><instance_effect url="#e"/></material></library_materials>
<library_geometries><geometry id="g" name="net"><mesh>
<source id="p"><float_array id="pa" count="24">{positions}</float_array><technique_common><accessor source="#pa" count="8" stride="3"><param name="X"/><param name="Y"/><param name="Z"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
{primitives}</mesh></geometry></library_geometries>
<library_visual_scenes><visual_scene id="vs">{nodes}</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#vs"/></scene></COLLADA>"""


SQUARES = "0 0 0 4 0 0 4 4 0 0 4 0 1 1 0 3 1 0 3 3 0 1 3 0"


BOUND = '<instance_geometry url="#g"><bind_material><technique_common><instance_material symbol="n" target="#m"/></technique_common></bind_material></instance_geometry>'


INPUT = '<input semantic="VERTEX" source="#v" offset="0"/>'


def dae(primitives, nodes=f"<node name='net'>{BOUND}</node>", image="rope.png", opacity="", positions=SQUARES):
    return DAE.format(primitives=primitives, nodes=nodes, image=image, opacity=opacity, positions=positions)
