"""What the reader of glTF refuses, in words."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "gltf.wrong-value": "{label}: {where} {what}.",
        "gltf.data-uri-empty": "{where} has a data URI without data.",
        "gltf.no-object": "{label} holds no glTF object.",
        "gltf.cut-off-header": "{label} is cut off in its header; export it again.",
        "gltf.version-1": "{label} is glTF 1.0, which this reader does not take; export it as glTF 2.0.",
        "gltf.container-version": "{label} says that it is version {version} of the container; only 2 is known.",
        "gltf.cut-off": "{label} is cut off: its header promises {length:,} bytes and {count:,} came; send it again.",
        "gltf.no-json": "{label} holds no JSON chunk; export it again.",
        "gltf.no-version": "{label} names no glTF version (asset.version); export it again.",
        "gltf.other-version": "{label} names glTF version {version}; only 2.x is read.",
        "gltf.extensions-no-list": "{label}: extensionsRequired is not a list.",
        "gltf.data-uri-damaged": "{where} has a damaged data URI.",
        "gltf.not-json": "{label} is not valid JSON: {error}.",
        "gltf.cut-off-chunk": "{label} is cut off inside a chunk; export it again.",
        "gltf.unread-extension": "{label} needs the extension {name}, which is not read yet; export it without that extension.",
        "gltf.no-list-of-objects": "{label}: {key} is not a list of objects.",
        "gltf.draco-incomplete": "{where} does not hold {missing} in its Draco data; export it unpacked.",
        "gltf.unpacks-too-large": "{where} unpacks to more than {gib} GiB, the most that is read.",
        "gltf.unknown-packing": "{where} is packed in an unknown way; export it unpacked.",
        "gltf.packed-damaged": "{where} is damaged in its packed data; export it unpacked.",
        "gltf.no-meshopt": "{where} is packed with meshopt, and the library for it (Debian's libmeshoptimizer2d) is not installed; install it or export it unpacked.",
        "gltf.draco-damaged": "{where} is damaged in its Draco data; export it unpacked.",
        "gltf.unfit-filter": "{where} states a filter that does not fit its stride of {stride}; export it unpacked.",
        "gltf.no-such-texture": "{where} uses texture {index:quoted}, which does not exist.",
        "gltf.no-such-image": "{where} uses image {image:quoted}, which does not exist.",
        "gltf.no-such-object": "{where} has a {key} that is no object, so nothing of it is read.",
        "gltf.no-such-sampler": "Texture {index} uses sampler {number:quoted}, which does not exist.",
        "gltf.no-positions": "{where} has no positions, so nothing of it can be drawn.",
        "gltf.odd-corners": "{where} has {count} corners, which is no multiple of three; the rest is dropped.",
        "gltf.no-such-material": "{where} uses material {material:quoted}, which does not exist.",
        "gltf.too-few-weights": "{where}: skin weights for {count:,} of {vertices:,} vertices.",
        "gltf.short-morph-target": "{where}: morph target {k} moves {count:,} of {vertices:,} vertices.",
        "gltf.no-default-scene": "The default scene {chosen} does not exist; all nodes are taken.",
        "gltf.wrong-joints": "Skin {i} names {count:# joint} that {what}.",
        "gltf.unusable-channel": "Channel {place} of clip {i} has no usable target or sampler.",
        "gltf.drives-no-node": "Channel {place} of clip {i} drives node {node:quoted}, which does not exist.",
        "gltf.no-such-child": "Node {i} names a child {child} that does not exist.",
        "gltf.node-uses-nothing": "Node {i} uses {key} {value:quoted}, which does not exist.",
        "gltf.no-such-nodes": "Scene {chosen} names nodes that do not exist.",
        "gltf.two-parents": "Node {child} hangs under both {what} and {i}; the first is kept.",
    }
)
