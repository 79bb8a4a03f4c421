"""The inspection as the contract writes it: facts, findings, what was clear and what was skipped."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from ..declare.check import Finding
from ..formats.files import role_of
from ..judge import Judgement
from ..judge.judged_by import message_of
from ..measures import Measures
from ..measures.drawing import triangles
from ..measures.records import is_scaled, is_uneven
from ..packages import Package
from ..scene import Scene
from ..words.json_tree import Json
from ..words.messages import Text, plain_values


def facts(measures: Measures) -> Json:
    """The `facts` object of the contract."""
    unit = measures.unit_metres
    bounds = None
    size_m = None
    if measures.bounds_min is not None and measures.bounds_max is not None:
        low, high = np.array(measures.bounds_min), np.array(measures.bounds_max)
        bounds = {
            "min": low.tolist(),
            "max": high.tolist(),
            "size": (high - low).tolist(),
            "centre_distance": float(np.linalg.norm((low + high) / 2)),
        }
        size_m = [float(s * unit) for s in high - low] if unit is not None else None
    with_faces = [x for x in measures.meshes if x.faces]
    total = lambda key: sum(getattr(x, key) for x in measures.meshes)
    return {
        "unit_metres": unit,
        "up_axis": measures.up_axis,
        "nodes": sum(not n.held for n in measures.nodes),
        "meshes": len(measures.meshes),
        "parts": len(measures.parts),
        "triangles": triangles(measures),
        "triangles_unique": total("triangles"),
        "faces": total("faces"),
        "faces_over_4": total("faces_over_4"),
        "vertices": total("vertices"),
        "vertices_welded": total("welded"),
        "gpu_vertices": total("gpu_vertices"),
        "loose_edges": total("loose_edges"),
        "loose_points": total("loose_points"),
        "bounds": bounds,
        "size_m": size_m,
        "materials": [
            {"name": x.name, "used_by_faces": x.used_by_faces, "alpha_mode": x.alpha_mode, "double_sided": x.double_sided}
            for x in measures.materials
        ],
        "faces_without_material": total("unassigned_faces"),
        "images": [
            {
                "reference": i.reference,
                "status": i.status,
                "found_at": i.found_at,
                "width": i.width,
                "height": i.height,
                "channels": i.channels,
                "has_alpha": i.has_alpha,
                "see_through_share": i.see_through_share,
                "used_by": i.used_by,
            }
            for i in measures.images
        ],
        "uv_sets": max((x.uv_sets for x in measures.meshes), default=0),
        "closed": all(x.closed for x in with_faces) if with_faces else None,
        "winding_consistent": all(x.winding_consistent for x in with_faces) if with_faces else None,
        "nodes_scaled": sum(1 for n in measures.nodes if is_scaled(n)),
        "nodes_non_uniform": sum(1 for n in measures.nodes if is_uneven(n)),
        "nodes_mirrored": sum(1 for n in measures.nodes if n.mirrored),
        "skins": [{"joints": len(skin.joints), "name": skin.name} for skin in measures.skins],
        "influences_max": max((x.influences_max for x in measures.meshes), default=0),
        "vertices_weights_off": total("weights_off"),
        "clips": [{"name": clip.name, "seconds": clip.seconds, "channels": clip.channels} for clip in measures.clips],
        "cameras": measures.cameras,
        "lights": measures.lights,
    }


def finite(tree: Any) -> Any:
    """The same tree with numbers that JSON cannot write (infinity, not a number) as null."""
    if isinstance(tree, float):
        return tree if math.isfinite(tree) else None
    if isinstance(tree, dict):
        return {k: finite(v) for k, v in tree.items()}
    return [finite(v) for v in tree] if isinstance(tree, list) else tree


def finding_json(finding: Finding, *, with_indices: bool = True) -> Json:
    """One finding of the contract. Without indices the elements keep only their kind and total."""
    elements: dict[str, Any] | None = None
    if finding.elements is not None:
        elements = {"kind": finding.elements.kind, "total": finding.elements.total}
        if finding.elements.uv_set is not None:
            elements["uv_set"] = finding.elements.uv_set
        if finding.elements.skin is not None:
            elements["skin"] = finding.elements.skin
        if with_indices:
            key = "pairs" if finding.elements.kind == "edges" else "indices"
            flat = finding.elements.indices
            elements[key] = (flat.reshape(-1, 2) if key == "pairs" else flat).tolist()
            if key == "pairs":
                elements["indices"] = []
    message, args = message_of(finding)
    return {
        "id": finding.id,
        "check": finding.check,
        "station": finding.station,
        "result": finding.result,
        "part": finding.part,
        "node": finding.node,
        "title": str(finding.title),
        "message": message,
        "args": args,
        "message_id": finding.title.message if isinstance(finding.title, Text) else None,
        "values": finite(plain_values(finding.title.values)) if isinstance(finding.title, Text) else {},
        "measured": finite(finding.measured),
        "wanted": finite(finding.wanted),
        "why": finding.why,
        "count": finding.count,
        "elements": elements,
        "mends": [
            {"mend": name, "params": params, "tried": costs is not None, "costs": list(costs or ())}
            | ({"needs_format": needed} if needed else {})
            # Each takes the finding away, so that after one of them there is nothing left for the others.
            | ({"choice": finding.id} if len(finding.mends) > 1 else {})
            for (name, params), costs, needed in zip(finding.mends, finding.costs, finding.needs, strict=True)
        ],
        "waived": None,
        "under": finding.under or None,
        **({} if finding.samples is None else {"samples": finding.samples}),
        **({} if finding.confidence is None else {"confidence": round(finding.confidence, 4)}),
    }


def source(package: Package, path: str, scene: Scene, digest: Callable[[str], str] | None = None) -> Json:
    """The `source` object: the model file and every file it led to, in the order they were needed."""
    listed = dict.fromkeys([(path, "model"), *scene.files])
    seen: dict[str, str] = {}
    for name, role in listed:
        seen.setdefault(name, role)
    hashed = digest or package.sha256
    return {
        "path": path,
        "format": scene.format,
        "files": [
            {"path": name, "bytes": package.size(name), "sha256": hashed(name), "role": role or role_of(name)}
            for name, role in seen.items()
        ],
    }


def with_waivers(tree: Json, reasons: dict[str, str]) -> Json:
    """A report in which the findings of some ids carry the reason they were waived for, and no longer count.

    Where one is waived that stood for the same on other parts, the next of those stands for the rest: they were not waived.
    """
    findings = [{**f, "waived": reasons.get(f["id"])} for f in tree["findings"]]
    by_id = {finding["id"]: finding for finding in findings}
    heads: dict[str, str] = {}
    for one in findings:
        head = by_id.get(one["under"] or "")
        if one["waived"] is not None or head is None or head["waived"] is None or head["check"] != one["check"]:
            continue
        first = heads.setdefault(head["id"], one["id"])
        one |= {"under": None, "result": head["result"]} if first == one["id"] else {"under": first}
    verdict = {
        k: sum(finding["result"] == k and finding["waived"] is None for finding in findings) for k in ("stop", "caution", "note")
    }
    return {**tree, "findings": findings, "verdict": verdict}


def report(where: Json, measures: Measures, judgement: Judgement, *, with_indices: bool = True) -> Json:
    """The whole `inspect --json` object but for its `seconds` block, and where it says so for the indices of elements."""
    return {
        "schema": 1,
        "source": where,
        "judged_by": judgement.by,
        "facts": finite(facts(measures)),
        "findings": [finding_json(finding, with_indices=with_indices) for finding in judgement.findings],
        "clear": list(judgement.clear),
        "skipped": [{"check": check, "because": because} for check, because in judgement.skipped],
        "verdict": judgement.verdict(),
        "not_looked_at": list(judgement.unlooked),
    }
