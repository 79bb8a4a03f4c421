"""What `--json` prints, as records that JSON Schemas are made from: of a report, of several models, and of a proof."""

from __future__ import annotations

from typing import Any, Literal

import msgspec

from ..rules import Intent
from ..words.json_tree import Json

#: The dialect that the schemas are written in.
_DIALECT = "https://json-schema.org/draft/2020-12/schema"
Result = Literal["stop", "caution", "note"]
Unit = Literal[
    "m",
    "mm",
    "units",
    "degrees",
    "px",
    "bytes",
    "triangles",
    "vertices",
    "count",
    "share",
    "factor",
    "seconds",
    "text",
]


class _Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A record with no other keys than these."""


class File(_Record, frozen=True):
    """A file that was read. role: what it is to the model."""

    path: str
    bytes: int
    sha256: str
    role: Literal["model", "image", "material-library", "buffer", "side-file", "other"]


class Source(_Record, frozen=True):
    """The model file, and every file that it led to."""

    path: str
    format: str
    files: list[File]


class Box(_Record, frozen=True):
    """World space, in the file's unit. centre_distance: of the box's middle from the origin."""

    min: list[float]
    max: list[float]
    size: list[float]
    centre_distance: float


class MaterialFact(_Record, frozen=True):
    """One material."""

    name: str
    used_by_faces: int
    alpha_mode: Literal["opaque", "mask", "blend"] | None
    double_sided: bool | None


class ImageFact(_Record, frozen=True):
    """One image that the model names or holds."""

    reference: str
    status: Literal["embedded", "found", "other-case", "missing", "absolute"]
    found_at: str | None
    width: int | None
    height: int | None
    channels: int | None
    has_alpha: bool | None
    see_through_share: float | None
    used_by: list[str]


class SkinFact(_Record, frozen=True):
    """One skin."""

    joints: int
    name: str | None


class ClipFact(_Record, frozen=True):
    """One clip."""

    name: str | None
    seconds: float
    channels: int


class Facts(_Record, frozen=True):
    """What the model is, without judging it."""

    unit_metres: float | None
    up_axis: Literal["X", "Y", "Z"] | None
    nodes: int
    meshes: int
    parts: int
    triangles: int
    triangles_unique: int
    faces: int
    faces_over_4: int
    vertices: int
    vertices_welded: int
    gpu_vertices: int
    loose_edges: int
    loose_points: int
    bounds: Box | None
    size_m: list[float] | None
    materials: list[MaterialFact]
    faces_without_material: int
    images: list[ImageFact]
    uv_sets: int
    closed: bool | None
    winding_consistent: bool | None
    nodes_scaled: int
    nodes_non_uniform: int
    nodes_mirrored: int
    skins: list[SkinFact]
    influences_max: int
    vertices_weights_off: int
    clips: list[ClipFact]
    cameras: int
    lights: int


class Value(_Record, frozen=True):
    """A figure and its unit."""

    value: Any
    unit: Unit


class Elements(_Record, frozen=True):
    """Where a finding lies. pairs: of vertices, for edges. skin: whose joints they are. uv_set: the one that the finding is about."""

    kind: Literal["faces", "vertices", "edges", "nodes", "materials", "images", "joints", "clips", "files"]
    indices: list[int]
    total: int
    pairs: list[list[int]] | msgspec.UnsetType = msgspec.UNSET
    skin: int | msgspec.UnsetType = msgspec.UNSET
    uv_set: int | msgspec.UnsetType = msgspec.UNSET


class Offer(_Record, frozen=True):
    """A mend that takes the finding away. tried: whether it was played, written and read back. choice: offers that exclude each other."""

    mend: str
    params: dict[str, Any]
    tried: bool
    costs: list[str]
    needs_format: str | msgspec.UnsetType = msgspec.UNSET
    choice: str | msgspec.UnsetType = msgspec.UNSET


class FindingRecord(_Record, frozen=True):
    """One finding. message, args: `message.format(**args)` is the title. message_id, values: the message and what stands in it."""

    id: str
    check: str
    station: str
    result: Result
    part: str | None
    node: int | None
    title: str
    message: str
    args: dict[str, str]
    message_id: str | None
    values: dict[str, Any]
    measured: Value | None
    wanted: Value | None
    why: str
    count: int | None
    elements: Elements | None
    mends: list[Offer]
    waived: str | None
    under: str | None
    samples: int | msgspec.UnsetType = msgspec.UNSET
    confidence: float | msgspec.UnsetType = msgspec.UNSET
    known: bool | msgspec.UnsetType = msgspec.UNSET


class SkippedCheck(_Record, frozen=True):
    """A check that could not judge, and why."""

    check: str
    because: str


class Verdict(_Record, frozen=True):
    """How many findings count, by result."""

    stop: int
    caution: int
    note: int


class JudgedBy(_Record, frozen=True):
    """By what the model was judged."""

    sheet: str
    sheet_version: int
    sheet_sha256: str
    intent: Intent
    tool: str


class ReportRecord(_Record, frozen=True):
    """What `inspect --json` prints of one model."""

    schema: Literal[1]
    source: Source
    judged_by: JudgedBy
    facts: Facts
    findings: list[FindingRecord]
    clear: list[str]
    skipped: list[SkippedCheck]
    verdict: Verdict
    not_looked_at: list[str]
    seconds: dict[str, float]
    place: str | msgspec.UnsetType = msgspec.UNSET


class Named(_Record, frozen=True):
    """The model that an entry is of."""

    path: str


class Unread(_Record, frozen=True):
    """A model among several that could not be read."""

    source: Named
    place: str
    error: str


class ReportsRecord(_Record, frozen=True):
    """What `inspect --json` prints of several models; entries of one that could not be read are `Unread`."""

    schema: Literal[1]
    models: list[dict[str, Any]]
    verdict: Verdict


class Place(_Record, frozen=True):
    """Where a row of a proof can be shown."""

    part: str
    sent: int | None
    read_back: int | None
    kind: Literal["faces"]
    gone: bool
    indices: list[int]
    total: int


class ProofRow(_Record, frozen=True):
    """One compared quantity. clear: the same; caution: an expected loss, which `remark` names; stop: it differs."""

    group: str
    what: str
    sent: str
    read_back: str
    difference: str
    result: Literal["clear", "caution", "stop"]
    remark: str
    where: str
    places: list[Place]


class ProofVerdict(_Record, frozen=True):
    """How many rows came to what."""

    clear: int
    caution: int
    stop: int


class ProofRecord(_Record, frozen=True):
    """What `prove --json` and `export --proof` print."""

    schema: Literal[1]
    proved: bool
    verdict: ProofVerdict
    rows: list[ProofRow]


def schemas() -> dict[str, Json]:
    """The published JSON Schemas (draft 2020-12) by the name of their file."""
    refs, parts = msgspec.json.schema_components([ReportRecord, ReportsRecord, Unread], ref_template="#/$defs/{name}")
    parts["ReportsRecord"]["properties"]["models"]["items"] = {"anyOf": [refs[0], refs[2]]}
    report = {"anyOf": list(refs[:2]), "$defs": parts}
    return {
        "report.schema.json": {"$schema": _DIALECT, **report},
        "proof.schema.json": {"$schema": _DIALECT, **msgspec.json.schema(ProofRecord)},
        "intent.schema.json": {"$schema": _DIALECT, **msgspec.json.schema(Intent)},
    }
