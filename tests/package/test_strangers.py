"""The player that ships in packages, and READ-ME's text which quotes it, against Proof, route by route."""

from __future__ import annotations

import ast
import importlib.util
import subprocess
import sys
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np
import OpenEXR
import pytest
import trimesh
from build import small_effect
from routes import many_ways

from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import Player
from tenka.effect.placed import Ramp, ramp, ramp_at
from tenka.look.colour import develop
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.package.atlas import load_atlas
from tenka.package.grids import frame_of, mixed
from tenka.package.netfile import NetFile
from tenka.package.rows import rows_of
from tenka.package.stands import light_of
from tenka.package.surfaces import Atlases, blended
from tenka.proof.elements.base import Now, place_in
from tenka.proof.elements.flipbook import sprites
from tenka.proof.engine import Package, package_view

SHARES = (0.0, 0.21, 0.5, 0.83, 1.0)


@pytest.fixture(scope="module")
def every(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A package with an element of every route."""
    folder = tmp_path_factory.mktemp("every")
    pack(many_ways(), None, FrameStore(folder / "frames"), folder / "package", page=False)
    return folder / "package"


@pytest.fixture(scope="module")
def play(every: Path) -> ModuleType:
    """The player of the package."""
    spec = importlib.util.spec_from_file_location("play", every / form.PLAYER)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@pytest.fixture(scope="module")
def package(every: Path) -> Package:
    return Package(every)


def element(package: Package, id: str) -> tuple[Any, dict, Any]:
    """An element: as Proof has it, as it stands in the manifest, and what plays it."""
    n = next(n for n, e in enumerate(package.elements) if e.id == id)
    return package.elements[n], package.elements[n].model_dump(mode="json"), package.played[n]


def now_at(package: Package, time: float) -> Now:
    light = light_of(package.manifest.set)
    return Now(time, package_view(package, 64, 48), np.zeros((1, 3)), light, 1.0)


def times_of(e: Any) -> list[float]:
    return [e.times[0] + s * (e.times[-1] - e.times[0]) for s in SHARES]


def alike(mine: np.ndarray, theirs: np.ndarray, share: float = 1e-3) -> None:
    """Places and values within a share of how far they reach."""
    assert mine.shape == theirs.shape
    np.testing.assert_allclose(mine, theirs, atol=share * max(float(np.abs(theirs).max(initial=0)), 1e-3))


def test_textures_of_numbers_are_read_as_the_formats_own_library_reads_them(every: Path, play: ModuleType):
    files = sorted(every.glob("*.exr"))
    assert len(files) > 8
    for file in files:
        with OpenEXR.File(str(file), separate_channels=True) as held:
            wanted = np.stack([held.channels()[c].pixels for c in "RGBA" if c in held.channels()], axis=2)
        assert np.array_equal(play.exr(file), wanted), file.name


def test_meshes_are_read_as_another_library_reads_them(every: Path, play: ModuleType, package: Package):
    e = element(package, "chips")[0]
    mesh = trimesh.load(every / e.mesh.file, force="mesh", process=False)
    points, faces = next(iter(play.glb(every / e.mesh.file).values()))
    x, y, z = np.asarray(mesh.vertices, float).T
    alike(points, np.stack([x, -z, y], axis=1))
    assert np.array_equal(faces, mesh.faces)


VALUES: tuple[Ramp, ...] = tuple(
    ramp((0.0, 0.1), (0.3, 1.0), (0.55, 0.2), (1.0, 0.0)).model_copy(update={"ease": ease})
    for ease in ("straight", "eased", "held", "through")
)


@pytest.mark.parametrize("which", VALUES, ids=lambda r: r.ease)
def test_ramps_of_every_kind_are_the_programs(which: Ramp, play: ModuleType):
    for age in np.linspace(-0.1, 1.1, 25):
        wanted = ramp_at(which, np.array([age]))
        assert play.over(which.model_dump(mode="json"), age) == pytest.approx(wanted, abs=1e-9)


PLAYERS: tuple[dict, ...] = (
    {},
    {"count": 7, "speed": 2.0, "gravity": 3.0, "drag": 1.5, "cone": 60.0, "along": (1.0, 0.2, 0.0)},
    {"plays": 2.5, "any_start": True, "life_spread": 0.7, "size_spread": 0.5, "tall": 1.8, "brightness": 2.0},
    {"frames_over": VALUES[1], "alpha": VALUES[3], "size_over": VALUES[2], "drift": (0.3, -0.2, 0.5)},
)


@pytest.mark.parametrize("more", PLAYERS)
def test_sprites_live_stand_and_look_as_in_proof(more: dict, play: ModuleType, package: Package):
    e, told, _ = element(package, "book")
    player = e.player.model_copy(update=more)
    told = {**told, "player": Player.model_validate(player.model_dump()).model_dump(mode="json")}
    for time in (0.0, 0.13, 0.9, 3.3, 61.7):
        theirs, mine = sprites(e, player, time), play.flipbook(told, time)
        assert len(mine) == len(theirs.age)
        for name in ("place", "size", "through", "variant", "tint"):
            rows = np.array([row[name] for row in mine])
            wanted = np.asarray(getattr(theirs, name), float)
            alike(rows.astype(float), wanted, 1e-3 if name in ("place", "through", "variant") else 0.01)
        opacity = np.array([row["opacity"] for row in mine])
        assert np.abs(opacity - theirs.opacity).max() <= 2 / 255  # Proof looks it up in a table
        alike(np.radians([row["turn"] for row in mine]), theirs.turn)


@pytest.mark.parametrize("second", ("none", "emission", "temperature"))
@pytest.mark.parametrize("alpha", ("premultiplied", "straight"))
def test_a_sprites_pixels_are_those_of_proof(second: str, alpha: str, play: ModuleType, tmp_path: Path):
    effect = replaced(small_effect(), "layers.puff.sources.source.temperature", 1500.0)
    for name, value in (("second", second), ("alpha_form", alpha)):
        effect = replaced(effect, f"deliveries.puff.route.{name}", value)
    pack(effect, None, FrameStore(tmp_path / "frames"), tmp_path / "package", page=False)
    e = Package(tmp_path / "package").elements[0]
    level = load_atlas(tmp_path / "package", e).levels[0]  # type: ignore[arg-type]
    told = e.model_dump(mode="json")
    for frame in range(len(e.times)):
        wide, tall, pad = e.width // e.columns, e.height // e.rows, e.padding  # type: ignore[attr-defined]
        y, x = frame // e.columns * tall + pad, frame % e.columns * wide + pad  # type: ignore[attr-defined]
        wanted = level[y : y + tall - 2 * pad, x : x + wide - 2 * pad]
        mine = play.sprite(tmp_path / "package", told, frame / max(len(e.times) - 1, 1))
        mine, wanted = mine.astype(np.float32), np.ascontiguousarray(wanted)
        drawn = [develop(np.ascontiguousarray(c[..., :3]), 0.0).astype(int) for c in (mine, wanted)]
        assert np.abs(drawn[0] - drawn[1]).max() <= 2
        assert np.abs(mine[..., 3] - wanted[..., 3]).max() <= 2 / 255


def test_particles_are_where_proof_has_them(every: Path, play: ModuleType, package: Package):
    e, told, played = element(package, "specks")
    for time in times_of(e):
        theirs, mine = played.points(e.player, now_at(package, time)), play.particles(every, told, time)
        assert len(mine) > 5 or time == e.times[0]
        alike(mine[:, :3], theirs.place)
        alike(mine[:, 4:7], theirs.colour)
        alike(mine[:, 7], theirs.alpha)
        alike(mine[:, :3] + mine[:, 8:], theirs.tail)


def test_particles_that_a_law_moves_are_where_proof_has_them(every: Path, play: ModuleType, package: Package):
    e, told, _ = element(package, "drift")
    rows = rows_of(every, e)
    order = lambda x: x[np.lexsort(np.round(x[:, :3], 3).T)]  # noqa: E731
    for n in (0, 3, len(e.times) - 1):
        wanted = rows[n][rows[n][:, 3] > 0].astype(float)
        alike(order(play.particles(every, told, e.times[n])), order(wanted))


def test_heads_of_trails_are_where_proof_has_them(every: Path, play: ModuleType, package: Package):
    e, told, played = element(package, "tails")
    for time in times_of(e):
        at = place_in(e.times, time)
        assert at is not None
        theirs = played._heads(*at)
        alike(play.trails(every, told, time), theirs[theirs[:, 3] > 0].astype(float))


def test_pieces_stand_where_proof_has_them(every: Path, play: ModuleType, package: Package):
    e, told, played = element(package, "chips")
    for time in times_of(e):
        theirs, mine = played.standing(now_at(package, time)), play.bodies(every, told, time)
        if theirs is None:
            assert time == e.times[0] and not len(mine)
            continue
        assert len(theirs.faces) > 100
        alike(mine, theirs.points[theirs.faces].reshape(-1, 3).astype(float))


def test_a_light_is_what_proof_has(play: ModuleType, package: Package):
    e, told, played = element(package, "glow")
    for time in times_of(e):
        row, mine = played.lamps(e.player, now_at(package, time)), play.light(told, time)
        if len(row):
            alike(mine[:6], row[0, :6].astype(float))
            assert mine[6] ** 2 == pytest.approx(row[0, 6], rel=1e-3)
        else:
            assert mine[3:6].max() <= 0


def test_dense_volumes_hold_what_proof_reads(every: Path, play: ModuleType, package: Package):
    e, told, _ = element(package, "slabs")
    for time in times_of(e):
        at = place_in(e.times, time)
        assert at is not None
        first, after = (frame_of(every, e, k) for k in (at[0], min(at[0] + 1, len(e.times) - 1)))
        theirs, mine = mixed(first, after, at[1]), play.volume(every, told, time)
        assert set(mine) == {g.name for g in e.grids} and theirs.density.max() > 0
        for name, values in mine.items():
            alike(values, getattr(theirs, name).astype(float))


def test_sheets_hold_what_proof_reads(every: Path, play: ModuleType, package: Package):
    e, told, played = element(package, "leaves")
    w, h = e.frame
    for time in times_of(e):
        at = place_in(e.times, time)
        assert at is not None
        mine = play.slices(every, told, time)
        assert len(mine) == len(e.sheets)
        for (corner, texels), sheet, texture in zip(mine, e.sheets, played.sheets):
            alike(corner, np.array(e.corner) + sheet.away * np.array(e.axes[2]))
            cells = []
            for n in (at[0], min(at[0] + 1, len(e.times) - 1)):
                y, x = n // e.columns * h, n % e.columns * w
                cells.append(texture[y : y + h, x : x + w].astype(float))
            wanted = (1 - at[1]) * cells[0] + at[1] * cells[1]
            alike(texels, wanted * [e.scale, e.scale, e.scale, 1.0])


def test_heat_bends_as_in_proof(every: Path, play: ModuleType, package: Package):
    e, told, played = element(package, "haze")
    for time in times_of(e):
        at = place_in(e.times, time)
        assert at is not None
        a, b = (played._cell(n).astype(float) for n in (at[0], min(at[0] + 1, len(e.times) - 1)))
        alike(play.shimmer(every, told, time), ((1 - at[1]) * a + at[1] * b) * e.player.strength)


def test_a_water_is_as_high_as_in_proof(every: Path, play: ModuleType, package: Package):
    e, told, _ = element(package, "pond")
    atlas = Atlases(every, e)
    for time in times_of(e):
        at = place_in(e.times, time)
        assert at is not None
        theirs = blended(atlas.at(at[0]), atlas.at(min(at[0] + 1, len(e.times) - 1)), at[1])
        rise, foam, deep = play.surface(every, told, time)
        alike(rise, theirs.rise.astype(float))
        alike(foam, theirs.foam.astype(float))
        assert ((deep > 0) == (theirs.rest + theirs.rise > 0)).mean() > 0.99


def test_meshes_are_the_frames_that_proof_shows(every: Path, play: ModuleType, package: Package):
    e, told, _ = element(package, "nets")
    nets = NetFile(every / e.mesh.file)
    for n in (0, len(e.times) - 1):
        points, faces = play.meshes(every, told, e.times[n])
        alike(points, nets.at(n).points.astype(float))
        assert np.array_equal(faces, nets.at(n).faces)


def test_the_film_is_as_the_text_says(every: Path, play: ModuleType):
    c = np.random.default_rng(4).random((40, 50, 3)).astype(np.float32) ** 3 * 6
    assert np.abs(play.film(c).astype(int) - develop(c, 0.0)).max() <= 1  # grain
    text = (every / form.ABOUT).read_text()
    assert "the shoulder" in text and "set.moving has w first" in text


def test_the_text_quotes_the_player_of_each_route_as_it_is(every: Path, package: Package):
    text, source = (every / form.ABOUT).read_text(), (every / form.PLAYER).read_text()
    solved = {"grid", "livewater"}
    parts = {n.name: n for n in ast.parse(source).body if isinstance(n, ast.FunctionDef | ast.ClassDef)}
    for name in {e.route for e in package.elements} - solved | {"met", "lawful", "Field"}:
        quoted = ast.get_source_segment(source, parts[name])
        assert quoted is not None and quoted in text, name
    assert max(len(line) for line in text.splitlines()) < 160


def test_it_runs_alone_with_numpy_and_pillow_and_says_what_there_is(every: Path, tmp_path: Path):
    nodes = list(ast.walk(ast.parse((every / form.PLAYER).read_text())))
    imports = {a.name for node in nodes if isinstance(node, ast.Import) for a in node.names}
    imports |= {str(node.module) for node in nodes if isinstance(node, ast.ImportFrom)}
    assert imports - sys.stdlib_module_names == {"numpy", "PIL"}
    told = subprocess.run(
        [sys.executable, str(every / form.PLAYER)], cwd=tmp_path, check=True, capture_output=True, text=True
    ).stdout
    assert all(f"{e.id} ({e.route})" in told for e in form.read(every).elements)
    out = tmp_path / "sprite.png"
    words = [sys.executable, str(every / form.PLAYER), "book", "0.3", str(out)]
    subprocess.run(words, cwd=tmp_path, check=True, capture_output=True)
    assert out.stat().st_size > 100
