"""Reading GLB files (glTF 2.0 binary); what a file announces is held against limits before anything is
made."""

from __future__ import annotations

import io
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import stamp_of_file
from tenka.base.srgb import from_srgb
from tenka.scene.gltf import opened
from tenka.scene.rig import Channel, Clip, Eye, Piece, Rig, Skin

WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}


TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}


GREY = 0.4


MOST_VALUES = 60_000_000
"""Numbers of all accessors together, each time that a node uses one."""


MOST_PIXELS = 64_000_000


class _Thing:
    """A part of a document by its names; what it does not have is None."""

    def __init__(self, tree: dict[str, Any]) -> None:
        self.__dict__ = {name: _things(value) for name, value in tree.items()}

    def __getattr__(self, name: str) -> Any:
        return None


def _things(value: Any) -> Any:
    if isinstance(value, dict):
        return _Thing(value)
    return [_things(item) for item in value] if isinstance(value, list) else value


class _Reader:
    def __init__(self, tree: dict[str, Any], blob: bytes, file: Path) -> None:
        self.doc, self.file, self.blob = _Thing(tree), file, blob
        self.images: dict[int, np.ndarray | None] = {}
        self.values = 0  # numbers read so far

    def bad(self, what: str) -> BadInput:
        return BadInput(what, "a whole GLB with its data inside", self.file)

    def view(self, index: int) -> tuple[bytes, int]:
        """A buffer view's bytes and its stride."""
        view = self.doc.bufferViews[index]
        if view.buffer != 0 or self.doc.buffers[0].uri:
            raise self.bad("keeps its data in another file")
        start = view.byteOffset or 0
        if start < 0 or view.byteLength < 0:
            raise self.bad("breaks off before its end")
        if start + view.byteLength > len(self.blob):
            raise self.bad("breaks off before its end")
        return self.blob[start : start + view.byteLength], view.byteStride or 0

    def read(self, index: int) -> np.ndarray:
        """An accessor as (count, width); normalised whole numbers become shares."""
        a = self.doc.accessors[index]
        kind, width = np.dtype(TYPES[a.componentType]), WIDTHS[a.type]
        self.values += a.count * width
        if a.count < 0 or self.values > MOST_VALUES:
            raise self.bad(f"announces more than {MOST_VALUES:,} numbers")
        out = np.zeros((a.count, width), kind)
        if a.bufferView is not None:
            out = self._rows(a.bufferView, a.byteOffset or 0, kind, a.count, width).copy()
        if a.sparse is not None:
            s = a.sparse
            at = self._rows(
                s.indices.bufferView,
                s.indices.byteOffset or 0,
                np.dtype(TYPES[s.indices.componentType]),
                s.count,
                1,
            )[:, 0]
            out[at] = self._rows(s.values.bufferView, s.values.byteOffset or 0, kind, s.count, width)
        if a.normalized and kind.kind in "iu":
            return np.maximum(out.astype(np.float64) / float(np.iinfo(str(kind)).max), -1.0)
        return out

    def _rows(self, view: int, offset: int, kind: np.dtype, count: int, width: int) -> np.ndarray:
        data, stride = self.view(view)
        size = kind.itemsize * width
        stride = stride or size
        if count < 0 or offset + stride * (count - 1) + size > len(data):
            raise self.bad("breaks off before its end")
        if offset < 0 or stride < size:
            raise self.bad("has numbers that lie in each other")
        return np.ndarray((count, width), kind, data, offset, (stride, kind.itemsize))

    def image(self, texture: int) -> np.ndarray | None:
        """A texture's picture, linear (h, w, 3), or None when it is not inside."""
        from PIL import Image

        if texture not in self.images:
            source = self.doc.textures[texture].source
            inside = source is not None and self.doc.images[source].bufferView is not None
            if inside:
                data, _ = self.view(self.doc.images[source].bufferView)
                picture: Image.Image = Image.open(io.BytesIO(data), formats=("PNG", "JPEG"))
                if picture.width * picture.height > MOST_PIXELS:
                    raise self.bad(f"holds a picture of {picture.width} x {picture.height} px")
                picture = picture.convert("RGB")
                picture.thumbnail((512, 512))
                self.images[texture] = from_srgb(np.asarray(picture, np.float32) / 255.0)
            else:
                self.images[texture] = None
        return self.images[texture]

    def colours(self, primitive: Any, faces: np.ndarray) -> np.ndarray:
        """(m, 3) linear: base colour, times its picture in the middle of each face, times the corners' own
        colours."""
        out = np.full((len(faces), 3), GREY if primitive.material is None else 1.0)
        pbr = (
            None
            if primitive.material is None
            else self.doc.materials[primitive.material].pbrMetallicRoughness
        )
        if pbr is not None and pbr.baseColorFactor is not None:
            out[:] = pbr.baseColorFactor[:3]
        texture = None if pbr is None or pbr.baseColorTexture is None else pbr.baseColorTexture.index
        own = primitive.attributes.COLOR_0
        if (
            texture is not None
            and primitive.attributes.TEXCOORD_0 is not None
            and (picture := self.image(texture)) is not None
        ):
            middle = self.read(primitive.attributes.TEXCOORD_0)[faces].mean(axis=1)
            h, w = picture.shape[:2]
            x, y = ((middle[:, n] % 1.0 * size).astype(int).clip(0, size - 1) for n, size in ((0, w), (1, h)))
            out *= picture[y, x]
        if own is not None:
            out = (out if primitive.material is not None else 1.0) * self.read(own)[:, :3].astype(float)[
                faces
            ].mean(axis=1)
        return out.clip(0.0, 1.0).astype(np.float32)

    def pieces(self) -> list[Piece]:
        found = []
        for index, node in enumerate(self.doc.nodes or []):
            if node.mesh is None:
                continue
            for primitive in self.doc.meshes[node.mesh].primitives:
                mode = 4 if primitive.mode is None else primitive.mode
                if mode not in (4, 5, 6) or primitive.attributes.POSITION is None:
                    continue
                points = self.read(primitive.attributes.POSITION).astype(np.float64)
                corners = (
                    np.arange(len(points))
                    if primitive.indices is None
                    else self.read(primitive.indices)[:, 0].astype(np.int64)
                )
                faces = _triangles(corners, mode)
                if len(faces) and (faces.max() >= len(points) or faces.min() < 0):
                    raise self.bad("names corners that it does not have")
                joints, weights = np.zeros((len(points), 4), np.int64), np.zeros((len(points), 4))
                skin = -1
                if (
                    node.skin is not None
                    and primitive.attributes.JOINTS_0 is not None
                    and primitive.attributes.WEIGHTS_0 is not None
                ):
                    skin = node.skin
                    joints = self.read(primitive.attributes.JOINTS_0).astype(np.int64)
                    weights = self.read(primitive.attributes.WEIGHTS_0).astype(np.float64)
                    weights /= np.maximum(weights.sum(axis=1, keepdims=True), 1e-9)
                    if not 0 <= skin < len(self.doc.skins):
                        raise self.bad("names skins that it does not have")
                    if joints.min(initial=0) < 0 or joints.max(initial=0) >= len(self.doc.skins[skin].joints):
                        raise self.bad("names joints that it does not have")
                material = (
                    ""
                    if primitive.material is None
                    else self.doc.materials[primitive.material].name or f"material {primitive.material}"
                )
                found.append(
                    Piece(
                        index, material, points, faces, self.colours(primitive, faces), skin, joints, weights
                    )
                )
        return found

    def clips(self) -> list[Clip]:
        found = []
        for n, animation in enumerate(self.doc.animations or []):
            channels = []
            for c in animation.channels:
                if c.target.node is None or c.target.path not in ("translation", "rotation", "scale"):
                    continue
                if not 0 <= c.target.node < len(self.doc.nodes):
                    raise self.bad("names nodes that it does not have")
                sampler = animation.samplers[c.sampler]
                times, values = (
                    self.read(sampler.input)[:, 0].astype(np.float64),
                    self.read(sampler.output).astype(np.float64),
                )
                way = sampler.interpolation or "LINEAR"
                if (
                    len(times)
                    and len(values) == len(times) * (3 if way == "CUBICSPLINE" else 1)
                    and np.all(np.diff(times) > 0)
                ):
                    channels.append(Channel(c.target.node, c.target.path, times, values, way))
            if channels:
                end = max(float(c.times[-1]) for c in channels)
                found.append(Clip(animation.name or f"clip {n + 1}", max(end, 1e-3), tuple(channels)))
        return found


def _triangles(corners: np.ndarray, mode: int) -> np.ndarray:
    """(m, 3) from a list (4), a strip (5) or a fan (6)."""
    if mode == 4:
        return corners[: len(corners) // 3 * 3].reshape(-1, 3)
    n = max(len(corners) - 2, 0)
    k = np.arange(n)
    if mode == 6:
        return np.stack(
            [np.full(n, corners[0] if len(corners) else 0), corners[k + 1], corners[k + 2]], axis=1
        )
    odd = k % 2
    return np.stack([corners[k], corners[k + 1 + odd], corners[k + 2 - odd]], axis=1)


def _credit(asset: Any) -> str:
    """Who made it and under which terms, as the file says: the standard's copyright, or an author and a
    licence kept beside it."""
    if not isinstance(asset, _Thing):
        return ""
    said = [str(asset.copyright or "").strip()]
    kept = asset.extras if isinstance(asset.extras, _Thing) else _Thing({})
    beside = [getattr(kept, name) for name in ("author", "license", "source")]
    said += [text.strip() for text in beside if isinstance(text, str)]
    return "; ".join(s for s in said if s)[:300]


def read_rig(file: Path) -> Rig:
    """Read a GLB; kept for the files used last.

    Raises
    ------
    BadInput
        Missing, broken, or with data that is not inside.
    """
    return _read(file, stamp_of_file(file, "a GLB"))


@lru_cache(maxsize=16)
def _read(file: Path, stamp: int) -> Rig:
    tree, blob = opened(file)
    try:
        with np.errstate(all="ignore"):
            return _rig(_Reader(tree, blob, file))
    except BadInput:
        raise
    except Exception:  # a wrong type or a wrong index anywhere ends here
        raise BadInput("broken off or not a mesh", "a whole GLB", file) from None


def _tree(reader: _Reader) -> tuple[np.ndarray, list[int]]:
    """Each node's parent, -1 for none, and the nodes with parents before children."""
    nodes = reader.doc.nodes or []
    parents = np.full(len(nodes), -1)
    for n, node in enumerate(nodes):
        for child in node.children or []:
            if not 0 <= child < len(nodes):
                raise reader.bad("names nodes that it does not have")
            if parents[child] >= 0 or child == n:
                raise reader.bad("has nodes that hang from two others")
            parents[child] = n
    order: list[int] = [n for n in range(len(nodes)) if parents[n] < 0]
    for n in order:  # grows as it goes
        order += nodes[n].children or []
    if len(order) != len(nodes):
        raise reader.bad("has nodes that hang from themselves")
    return parents, order


def _rig(reader: _Reader) -> Rig:
    doc, nodes = reader.doc, reader.doc.nodes or []
    count = len(nodes)
    if set(doc.extensionsRequired or []) & {"KHR_draco_mesh_compression", "EXT_meshopt_compression"}:
        raise BadInput("holds compressed triangles", "a GLB without mesh compression", reader.file)
    parents, order = _tree(reader)

    def rest(name: str, usual: tuple[float, ...]) -> np.ndarray:
        return np.array([getattr(n, name) or usual for n in nodes], np.float64).reshape(count, len(usual))

    turned = rest("rotation", (0.0, 0.0, 0.0, 1.0))
    turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-12)
    fixed = {
        n: np.array(node.matrix, np.float64).reshape(4, 4).T for n, node in enumerate(nodes) if node.matrix
    }
    skins = []
    for skin in doc.skins or []:
        k = len(skin.joints)
        inverse = np.tile(np.eye(4), (k, 1, 1))
        if skin.inverseBindMatrices is not None:
            inverse = (
                reader.read(skin.inverseBindMatrices).astype(np.float64).reshape(k, 4, 4).transpose(0, 2, 1)
            )
        joints = np.array(skin.joints, np.int64)
        if joints.min(initial=0) < 0 or joints.max(initial=-1) >= count:
            raise reader.bad("names joints that it does not have")
        skins.append(Skin(joints, inverse))
    eyes = []
    for n, node in enumerate(nodes):
        if node.camera is not None and (lens := doc.cameras[node.camera].perspective) is not None:
            eyes.append(
                Eye(
                    node.name or doc.cameras[node.camera].name or f"camera {n}",
                    n,
                    float(np.degrees(lens.yfov)),
                )
            )
    pieces = reader.pieces()
    shaped = any(p.targets for m in doc.meshes or [] for p in m.primitives)
    notes = ("its shape keys are left at rest",) if shaped else ()
    names = tuple(node.name or f"node {n}" for n, node in enumerate(nodes))
    return Rig(
        names,
        parents,
        tuple(order),
        rest("translation", (0.0, 0.0, 0.0)),
        turned,
        rest("scale", (1.0, 1.0, 1.0)),
        fixed,
        tuple(pieces),
        tuple(skins),
        tuple(reader.clips()),
        tuple(eyes),
        _credit(doc.asset),
        notes,
    )
