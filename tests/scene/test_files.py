"""Meshes from files made by other libraries: axes, units, colours, parts, clips, cameras, thinning, copies;
and what is broken."""

from __future__ import annotations

import json
import math
import struct
import time
from pathlib import Path

import numpy as np
import pygltflib as gl
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from tenka.base.errors import BadInput
from tenka.demo import FOLDER, canvas
from tenka.effect.model import Prop
from tenka.scene import files
from tenka.scene.files import faults, load, read, upright
from tenka.scene.gltf import opened
from tenka.scene.meshes import box, joined, primitive
from tenka.scene.props import clip_time, eyes_of, own_mesh, scattered, scene_mesh, thinned, told_of
from tenka.scene.rig import Channel
from tenka.scene.rigfile import read_rig

SIZE = (0.4, 0.6, 1.0)


def saved(tmp_path: Path, name: str) -> Path:
    """A box of 0.4 x 0.6 x 1 units, written by trimesh."""
    file = tmp_path / name
    trimesh.creation.box(SIZE).export(file)
    return file


@pytest.mark.parametrize("name", ["a.glb", "a.obj", "a.ply", "a.stl"])
def test_files_of_another_library_are_read_at_their_size(tmp_path: Path, name: str):
    mesh = load(saved(tmp_path, name))
    extent = mesh.bounds[1] - mesh.bounds[0]
    turned = (SIZE[0], SIZE[2], SIZE[1])  # glTF's y is up
    np.testing.assert_allclose(extent, turned if name == "a.glb" else SIZE, atol=1e-6)
    assert len(mesh.faces) == 12 and not faults(mesh)


@pytest.mark.parametrize(("unit", "factor"), [("centimetres", 0.01), ("inches", 0.0254), ("feet", 0.3048)])
def test_units_and_the_axis_that_points_up_are_chosen(tmp_path: Path, unit: str, factor: float):
    file = saved(tmp_path, "a.obj")
    prop = Prop(id="p", name="P", shape="mesh", file=str(file), unit=unit, up="x", size=(2.0, 1.0, 1.0))
    low, high = own_mesh(prop, None).bounds
    np.testing.assert_allclose(high - low, np.array([SIZE[1] * 2, SIZE[2], SIZE[0]]) * factor, rtol=1e-5)


@given(st.sampled_from("xyz"))
def test_making_upright_is_a_turn_and_no_mirror(up: str):
    turned = upright(np.eye(3), up)
    assert np.linalg.det(turned) == pytest.approx(1.0)
    np.testing.assert_allclose(turned["xyz".index(up)], [0, 0, 1])


def test_colours_are_light_and_not_its_encoding(tmp_path: Path):
    mesh = trimesh.creation.box()
    mesh.visual.vertex_colors = [188, 188, 188, 255]  # sRGB of half the light
    mesh.export(tmp_path / "a.ply")
    np.testing.assert_allclose(load(tmp_path / "a.ply").colours, 0.5, atol=0.01)


def test_a_picture_gives_each_face_its_colour(tmp_path: Path):
    from PIL import Image

    picture = Image.new("RGB", (2, 1))
    picture.putpixel((0, 0), (255, 0, 0))
    picture.putpixel((1, 0), (0, 0, 255))
    uv = np.array([[0.1, 0.5], [0.2, 0.5], [0.1, 0.6], [0.8, 0.5], [0.9, 0.5], [0.8, 0.6]])
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [2, 0, 0], [3, 0, 0], [2, 1, 0]], float)
    material = trimesh.visual.material.PBRMaterial(baseColorTexture=picture, name="glaze")
    mesh = trimesh.Trimesh(
        points,
        [[0, 1, 2], [3, 4, 5]],
        visual=trimesh.visual.TextureVisuals(uv=uv, material=material),
        process=False,
    )
    trimesh.Scene(mesh).export(tmp_path / "a.glb")
    found = load(tmp_path / "a.glb")
    np.testing.assert_allclose(found.colours, [[1, 0, 0], [0, 0, 1]], atol=1e-6)
    assert "glaze" in found.groups


def glb(points: np.ndarray, faces: np.ndarray, **more: object) -> gl.GLTF2:
    """A GLB of one mesh, by pygltflib."""
    a, b = np.asarray(points, np.float32).tobytes(), np.asarray(faces, np.uint32).tobytes()
    doc = gl.GLTF2(
        scene=0,
        scenes=[gl.Scene(nodes=[0])],
        nodes=[gl.Node(mesh=0, name="part")],
        buffers=[gl.Buffer(byteLength=len(a) + len(b))],
        meshes=[gl.Mesh(primitives=[gl.Primitive(attributes=gl.Attributes(POSITION=0), indices=1)])],
        bufferViews=[
            gl.BufferView(buffer=0, byteOffset=0, byteLength=len(a)),
            gl.BufferView(buffer=0, byteOffset=len(a), byteLength=len(b)),
        ],
        accessors=[
            gl.Accessor(bufferView=0, componentType=gl.FLOAT, count=len(points), type="VEC3"),
            gl.Accessor(bufferView=1, componentType=gl.UNSIGNED_INT, count=np.size(faces), type="SCALAR"),
        ],
        **more,
    )
    doc.set_binary_blob(a + b)
    return doc


TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], float)


def broken(tmp_path: Path, kind: str) -> Path:
    file = tmp_path / f"{kind}.glb"
    doc = glb(TRIANGLE, [0, 1, 2])
    if kind == "corners":
        doc = glb(TRIANGLE, [0, 1, 7])
    elif kind == "nan":
        doc = glb(TRIANGLE * math.nan, [0, 1, 2])
    elif kind == "flat":
        doc = glb(TRIANGLE * 0, [0, 1, 2])
    elif kind == "loop":
        doc.nodes = [gl.Node(mesh=0, children=[1]), gl.Node(children=[0])]
    elif kind == "twice":
        doc.nodes = [gl.Node(children=[2]), gl.Node(children=[2]), gl.Node(mesh=0)]
    elif kind == "short":
        doc.accessors[0].count = 1000
    elif kind == "far":
        doc.accessors[0].bufferView = 9
    elif kind == "draco":
        doc.extensionsRequired = ["KHR_draco_mesh_compression"]
    elif kind == "empty":
        doc.meshes[0].primitives[0].mode = 1
    doc.save_binary(str(file))
    if kind == "cut":
        file.write_bytes(file.read_bytes()[:-30])
    if kind == "noise":
        file.write_bytes(b"glTF" + bytes(range(200)))
    return file


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("corners", "names corners"),
        ("nan", "not numbers"),
        ("flat", "without area"),
        ("loop", "hang from"),
        ("twice", "hang from two"),
        ("short", "breaks off"),
        ("far", "broken off"),
        ("draco", "compressed"),
        ("empty", "no triangles"),
        ("cut", "off"),
        ("noise", "broken off"),
    ],
)
def test_a_broken_mesh_is_one_sentence(tmp_path: Path, kind: str, words: str):
    with pytest.raises(BadInput, match=words) as told:
        load(broken(tmp_path, kind))
    assert str(told.value).count("\n") == 0 and f"{kind}.glb" in str(told.value)


@pytest.mark.parametrize("ending", [".obj", ".ply", ".stl"])
@given(data=st.binary(max_size=300))
def test_noise_is_never_more_than_a_sentence(
    tmp_path_factory: pytest.TempPathFactory, ending: str, data: bytes
):
    file = tmp_path_factory.mktemp("noise") / f"noise{ending}"
    file.write_bytes(data)
    with pytest.raises(BadInput):
        load(file)


def test_a_mesh_with_some_bad_corners_is_mended_with_a_note(tmp_path: Path):
    points = np.concatenate([TRIANGLE, [[math.nan, 0, 0], [5, 5, 5]]])
    glb(points, [0, 1, 2, 0, 1, 3, 0, 0, 1]).save_binary(str(tmp_path / "a.glb"))
    found = read(tmp_path / "a.glb")
    assert len(found.mesh.faces) == 1 and len(found.notes) == 2
    assert "1 triangle whose corners are not numbers" in found.notes[0] and "without area" in found.notes[1]


def test_open_and_crowded_edges_are_told():
    shut = box((1, 1, 1), (1, 1, 1))
    assert faults(shut) == ()
    lid_off = faults(type(shut)(shut.points, shut.faces[:-2], shut.colours[:-2]))
    assert "4 open edges" in lid_off[0]
    fin = type(shut)(
        np.vstack([shut.points, [[2, 2, 2]]]).astype(np.float32),
        np.vstack([shut.faces, [[0, 1, 8]]]),
        np.ones((13, 3), np.float32),
    )
    assert any("more than two" in fault for fault in faults(fin))


def test_turns_run_along_the_great_circle_and_steps_hold():
    quarter = np.array([0.0, 0.0, math.sin(math.pi / 4), math.cos(math.pi / 4)])
    turn = Channel(
        0, "rotation", np.array([0.0, 1.0]), np.array([[0, 0, 0, 1.0], -quarter]), "LINEAR"
    )  # the long way is not taken
    angle = math.pi / 2 * 0.3
    found = turn.at(0.3)
    np.testing.assert_allclose(
        found * np.sign(found[3]), [0, 0, math.sin(angle / 2), math.cos(angle / 2)], atol=1e-12
    )
    held = Channel(0, "translation", np.array([0.0, 1.0]), np.array([[0.0, 0, 0], [1, 0, 0]]), "STEP")
    assert held.at(0.99)[0] == 0.0 and held.at(1.0)[0] == 1.0 and held.at(7.0)[0] == 1.0


@given(st.floats(0, 1))
def test_a_cubic_spline_reproduces_a_cubic(t: float):
    def f(x: float) -> float:
        return x**3 - 2 * x**2 + 0.5 * x + 0.25

    def slope(x: float) -> float:
        return 3 * x**2 - 4 * x + 0.5

    rows = [[v, 0.0, 0.0] for x in (0.0, 1.0) for v in (slope(x), f(x), slope(x))]
    channel = Channel(0, "translation", np.array([0.0, 1.0]), np.array(rows), "CUBICSPLINE")
    assert channel.at(t)[0] == pytest.approx(f(t), abs=1e-12)


CANVAS = FOLDER / "props" / "canvas.glb"


def test_a_skin_at_rest_is_the_mesh_as_it_was_modelled():
    rig = read_rig(CANVAS)
    low, high = read(CANVAS).mesh.bounds
    np.testing.assert_allclose(high - low, [canvas.CANVAS.wide, canvas.CANVAS.high, 0.0], atol=1e-5)
    assert (
        rig.credit == canvas.CREDIT
        and [c.name for c in rig.clips] == ["flap"]
        and rig.clips[0].seconds == pytest.approx(canvas.CANVAS.period)
    )
    again = np.concatenate([p.points for p in rig.pieces])
    np.testing.assert_allclose(rig.posed(), again, atol=1e-6)


@given(st.floats(0, canvas.CANVAS.period))
def test_a_chain_of_joints_hangs_as_its_angles_add_up(t: float):
    """Joints turn about x only: the foot of a column is where summed angles put it."""
    rig, cloth = read_rig(CANVAS), canvas.CANVAS
    world = rig.world(rig.clips[0], t)
    step, column, place, total = cloth.high / cloth.rows, 3, np.array([cloth.top, 0.0]), 0.0
    for row in range(cloth.rows - 1):
        times = np.linspace(0, cloth.period, cloth.keys)
        total += float(np.interp(t, times, [cloth.flap(column, row, k) for k in times]))
        place = place + step * np.array([-math.cos(total), -math.sin(total)])
    node = (cloth.rows - 1) * cloth.columns + column
    np.testing.assert_allclose(world[node, 1:3, 3], place, atol=1e-4)


def test_a_clip_moves_a_prop_and_repeats_holds_or_turns_back():
    prop = Prop(id="c", name="C", shape="mesh", file=str(CANVAS), clip="flap", clip_start=1.0)
    at = [own_mesh(prop, None, t).points for t in (1.0, 1.7, 1.0 + canvas.CANVAS.period)]
    assert np.abs(at[1] - at[0]).max() > 0.1
    np.testing.assert_allclose(at[2], at[0], atol=1e-5)
    held, back = (prop.model_copy(update={"clip_end": e}) for e in ("hold", "back"))
    assert clip_time(held, 2.0, 99.0) == 2.0 and clip_time(held, 2.0, 0.0) == 0.0
    assert clip_time(back, 2.0, 1.0 + 2.5) == pytest.approx(1.5) and clip_time(
        back, 2.0, 1.5
    ) == pytest.approx(0.5)
    with pytest.raises(BadInput, match="no clip 'wave'"):
        own_mesh(prop.model_copy(update={"clip": "wave"}), None, 0.0)


def test_a_thinned_skin_still_moves_and_keeps_its_parts():
    prop = Prop(id="c", name="C", shape="mesh", file=str(CANVAS), clip="flap", keep=0.3)
    thin, whole = own_mesh(prop, None, 0.7), own_mesh(prop.model_copy(update={"keep": 1.0}), None, 0.7)
    assert 0.2 < len(thin.faces) / len(whole.faces) < 0.4 and {"damp", "dry"} <= set(thin.groups)
    near = np.abs(thin.points[:, None] - whole.points[None]).sum(axis=2).min(axis=1)
    assert near.max() < 1e-5  # its points are among those of the whole
    told = told_of(prop, None)
    assert told.after == len(thin.faces) and told.before == len(whole.faces) and "open edges" in told.notes[0]


def test_thinning_keeps_a_balls_form():
    ball = joined([primitive("sphere", (1, 1, 1))])
    thin, index = thinned(ball, 0.4)
    assert len(thin.faces) == pytest.approx(0.4 * len(ball.faces), rel=0.15)
    np.testing.assert_array_equal(thin.points, ball.points[index])
    assert thin.bounds[1][2] - thin.bounds[0][2] > 0.9


def test_copies_lie_in_their_spread_and_are_the_same_each_time():
    prop = Prop(id="p", name="P", size=(0.2, 0.2, 0.2), copies=40, spread=(3.0, 1.0, 0.0), copies_size=0.5)
    mesh = own_mesh(prop, None)
    assert len(mesh.faces) == 40 * 12
    low, high = mesh.bounds
    assert 2.5 < high[0] - low[0] < 3.6 and high[1] - low[1] < 1.6 and low[2] == 0.0
    sides = np.sort(np.ptp(mesh.points.reshape(40, 8, 3)[:, :, 2], axis=1))
    assert sides[0] < 0.13 and sides[-1] > 0.27
    np.testing.assert_array_equal(
        scattered(primitive("box", prop.colour).scaled(prop.size), prop).points, mesh.points
    )


def test_a_camera_of_a_file_is_looked_through_where_the_prop_stands():
    prop = Prop(id="c", name="C", shape="mesh", file=str(CANVAS), position=(10.0, 0.0, 0.0), turn=90.0)
    camera = eyes_of(prop, (prop,), None)["yard"]
    a = math.radians(24.0)
    eye = np.array([5.0 * math.sin(a), -5.0 * math.cos(a), 1.5])  # as the canvas has it, z up
    turned = np.array([-eye[1] + 10.0, eye[0], eye[2]])
    from tenka.scene.cameras import view_of

    view = view_of(camera, 100, 100)
    np.testing.assert_allclose(view.eye, turned, atol=1e-6)
    np.testing.assert_allclose(view.forward, [-math.cos(a), -math.sin(a), 0.0], atol=1e-6)
    assert camera.fov == pytest.approx(40.0)


def test_a_prop_with_a_clip_is_drawn_where_it_is(tmp_path: Path):
    from tenka.effect import storage

    effect = storage.load(FOLDER / "canvas_steam.tenka")
    a, b = (scene_mesh(effect, FOLDER, t) for t in (0.0, 0.6))
    assert a.points.shape == b.points.shape and np.abs(a.points - b.points).max() > 0.1


def test_a_mesh_that_is_too_heavy_is_refused_with_its_count(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(files, "MOST_TRIANGLES", 11)
    with pytest.raises(BadInput, match="has 12 triangles"):
        load(saved(tmp_path, "heavy.stl"))


@pytest.mark.parametrize("joint", (7, -1, 10**9))
def test_a_skin_whose_joint_is_no_node_is_refused_in_a_sentence(joint: int, tmp_path: Path):
    doc = glb(TRIANGLE, [0, 1, 2])
    doc.skins = [gl.Skin(joints=[joint])]
    doc.nodes[0].skin = 0
    doc.save_binary(str(tmp_path / "a.glb"))
    with pytest.raises(BadInput, match="names joints"):
        read(tmp_path / "a.glb")


@pytest.mark.parametrize(("what", "value"), (("child", 9), ("child", -1), ("target", 5), ("skin", 3)))
def test_a_file_that_names_nodes_or_skins_that_it_lacks_is_refused(what: str, value: int, tmp_path: Path):
    doc = glb(TRIANGLE, [0, 1, 2])
    if what == "child":
        doc.nodes[0].children = [value]
    elif what == "skin":
        doc.nodes[0].skin = value
        doc.meshes[0].primitives[0].attributes.JOINTS_0 = 0
        doc.meshes[0].primitives[0].attributes.WEIGHTS_0 = 0
        doc.skins = [gl.Skin(joints=[0])]
    else:
        target = gl.AnimationChannelTarget(node=value, path="translation")
        doc.animations = [
            gl.Animation(
                channels=[gl.AnimationChannel(sampler=0, target=target)],
                samplers=[gl.AnimationSampler(input=1, output=0)],
            )
        ]
    doc.save_binary(str(tmp_path / "a.glb"))
    with pytest.raises(BadInput):
        read(tmp_path / "a.glb")


def test_twenty_thousand_nodes_in_a_small_file_do_not_hang_the_reader(tmp_path: Path):
    doc = glb(TRIANGLE, [0, 1, 2])
    doc.save_binary(str(tmp_path / "a.glb"))
    tree, blob = opened(tmp_path / "a.glb")
    tree["nodes"] += [{} for _ in range(19_999)]
    text = json.dumps(tree, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(blob), 0x4E4942) + blob
    (tmp_path / "b.glb").write_bytes(struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks)
    begun = time.process_time()
    found = read(tmp_path / "b.glb")
    assert found.rig is not None and len(found.rig.names) == 20_000
    assert time.process_time() - begun < 20.0  # beyond that it hangs: it took 40 s and more
