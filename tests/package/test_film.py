"""Final pictures and movies: read back by foreign readers, layers that recombine, nothing left of what was
stopped."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import av
import numpy as np
import OpenEXR
import pytest
from build import small_effect
from command import command
from PIL import Image

from tenka.base.errors import BadInput, Cancelled
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.courses import Key, Keys
from tenka.effect.model import Camera, Effect, GasLayer, ParticleLayer, PointLook, PointSource, Prop
from tenka.effect.storage import save
from tenka.pack.film import Film, checked, pictures
from tenka.pack.reels import reel

SMALL = Film(96, 64, passes=8)


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def both() -> Effect:
    """A dyed puff, sparks, and a slab that throws a shadow and gets one."""
    effect = small_effect()
    gas = effect.layers[0]
    assert isinstance(gas, GasLayer)
    dyed = gas.sources[0].model_copy(update={"dye": True, "dye_colour": (0.9, 0.2, 0.1)})
    gas = gas.model_copy(update={"sources": (dyed,)})
    sparks = ParticleLayer(
        id="sparks",
        name="Sparks",
        sources=(PointSource(id="s", name="S", rate=200.0, position=(0, 0, 0.6)),),
        look=PointLook(),
    )
    slab = Prop(id="slab", name="Slab", size=(3, 3, 0.05), position=(0, 0, 0))
    return effect.model_copy(update={"layers": (gas, sparks), "props": (*effect.props, slab)})


def drawn(effect: Effect, store: FrameStore, film: Film, span: tuple[int, int], layers: bool = False):
    return list(pictures(effect, None, store, film, span, Progress(), layers=layers))


def test_the_layers_of_an_open_exr_picture_recombine_to_it(store: FrameStore, tmp_path: Path):
    effect, path = both(), tmp_path / "one.exr"
    with reel(path, 24, 6, True) as writing:
        for picture in pictures(effect, None, store, SMALL, (6, 6), Progress(), layers=writing.layers):
            writing.add(picture)
    found = OpenEXR.File(str(path), separate_channels=True).channels()

    def colour(layer: str) -> np.ndarray:
        names = [f"{layer}.{c}" if layer else c for c in "RGB"]
        return np.stack([found[n].pixels.astype(np.float64) for n in names], axis=2)

    alpha = found["A"].pixels.astype(np.float64)[..., None]
    again = colour("effect") + (1 - alpha) * (colour("set") - colour("shadow"))
    np.testing.assert_allclose(again, colour(""), atol=4e-3)
    # each is what it is said to be, by a picture that was made without the other
    bare = drawn(effect.model_copy(update={"layers": ()}), store, SMALL, (6, 6), True)[0]
    np.testing.assert_allclose(colour("set") - colour("lamps"), bare.linear, atol=2e-3)
    assert (colour("effect") > -2e-3).all() and (colour("shadow") > -2e-3).all()
    assert colour("shadow").max() > 0.01 and 0.2 < alpha.max() <= 1.0
    outside = alpha[..., 0] == 0
    assert outside.mean() > 0.2 and np.abs(colour("effect")[outside]).max() < 2e-3
    moved = [found[f"motion.{c}"].pixels.astype(np.float64) for c in "XY"]
    assert moved[1][alpha[..., 0] > 0.3].mean() < -0.05  # the puff rises: up is less
    assert not moved[0][outside].any()
    assert found["Z"].pixels.dtype == np.float32 and 0.5 < found["Z"].pixels.min() < 20


@pytest.mark.parametrize(("ending", "codec"), ((".mp4", "h264"), (".webm", "vp9")))
def test_a_movie_holds_the_frames_at_their_rate_and_in_their_colours(
    store: FrameStore, tmp_path: Path, ending: str, codec: str
):
    effect, path = both(), tmp_path / f"film{ending}"
    kept = []
    with reel(path, effect.rate, 2, False) as writing:
        for picture in pictures(effect, None, store, SMALL, (2, 7), Progress()):
            writing.add(picture)
            kept.append(picture.rgb)
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        assert stream.codec_context.name == codec and stream.average_rate == effect.rate
        shown = [frame.to_ndarray(format="rgb24") for frame in container.decode(stream)]
    assert len(shown) == 6 and shown[0].shape == (64, 96, 3)
    for a, b in zip(kept, shown):
        assert np.abs(a.astype(int) - b).mean() < 4  # colours are halved in size, and what is fine goes
        assert np.abs(a.mean(axis=(0, 1)) - b.mean(axis=(0, 1))).max() < 2.5


def test_nothing_is_left_of_a_movie_that_was_stopped(store: FrameStore, tmp_path: Path):
    effect, path = both(), tmp_path / "film.mp4"
    path.write_bytes(b"an older one")
    progress = Progress()
    with pytest.raises(Cancelled), reel(path, effect.rate, 0, False) as writing:
        for picture in pictures(effect, None, store, SMALL, (0, 7), progress):
            writing.add(picture)
            progress.cancel()
    assert [p.name for p in tmp_path.iterdir()] == ["film.mp4"] and path.read_bytes() == b"an older one"


def test_more_passes_neither_add_nor_take_away(store: FrameStore):
    few, many = (drawn(both(), store, replace(SMALL, passes=n), (6, 6))[0] for n in (4, 64))
    assert many.alpha.max() <= 1.0 + 1e-5 and many.linear.min() >= 0.0
    assert many.alpha.mean() == pytest.approx(few.alpha.mean(), rel=0.01)
    assert many.linear.mean() == pytest.approx(few.linear.mean(), rel=0.01)


def test_noise_as_the_goal_draws_on_until_it_is_met(store: FrameStore, monkeypatch: pytest.MonkeyPatch):
    from tenka.look.render import Renderer

    asked = []
    whole = Renderer.draw_shot

    def counted(self, *args, **named):
        asked.append(named.get("passes", 0))
        return whole(self, *args, **named)

    monkeypatch.setattr(Renderer, "draw_shot", counted)
    drawn(both(), store, replace(SMALL, noise=0.3), (6, 6))
    rough = max(asked)
    asked.clear()
    drawn(both(), store, replace(SMALL, noise=0.00001), (6, 6))
    assert max(asked) > rough >= 8


def test_a_shutter_smears_what_moves_along_its_way_and_keeps_its_light(store: FrameStore):
    """A plate that goes 0.24 m in a frame: with the shutter open all of it, its edge is a ramp so wide."""
    plate = Prop(
        id="plate",
        name="Plate",
        size=(0.5, 0.02, 1.0),
        position=(0, 0, 0.5),
        colour=(1, 1, 1),
        shift_x=Keys(keys=(Key(t=0.0, v=-1.0, ease="linear"), Key(t=1.0, v=4.76, ease="linear"))),
    )
    camera = Camera(target=(0, 0, 1.0), distance=6, heading=-90, pitch=0, fov=30)
    effect = Effect(name="Plate", seconds=1.0, rate=24.0, props=(plate,), camera=camera)
    film = replace(SMALL, width=320, height=120)
    still = drawn(effect, store, film, (4, 4))[0].linear[60, :, 0].astype(float)
    blurred = drawn(effect, store, replace(film, shutter=1.0, moments=32), (4, 4))[0].linear[60, :, 0]
    behind = still[5]
    level = float(np.median(still[still > behind + 0.05])) - behind
    share = (blurred.astype(float) - behind) / level
    pixel = 2 * 6 * np.tan(np.radians(15)) / 120  # m in the plane of the target
    rising = ((share > 0.1) & (share < 0.85)).sum() * pixel / 2  # two edges, less a surface's grain
    assert rising == pytest.approx(0.75 * 0.24, abs=0.04)
    assert share.sum() == pytest.approx(((still - behind) / level).sum(), rel=0.03)


@pytest.mark.parametrize(
    ("film", "place"),
    (
        (replace(SMALL, passes=0), "--passes"),
        (replace(SMALL, noise=-1.0), "--noise"),
        (replace(SMALL, shutter=1.5), "--shutter"),
        (replace(SMALL, moments=0), "--moments"),
    ),
)
def test_settings_out_of_range_are_said(film: Film, place: str):
    with pytest.raises(BadInput, match=place):
        checked(film)


def test_the_terminal_writes_rows_of_pictures_and_movies(tmp_path: Path):
    save(both(), tmp_path / "own.tenka")
    more = ("--size", "96x64", "--passes", "4", "--json")
    out = command("render", tmp_path / "own.tenka", "--frames", "3:5", "--picture", tmp_path / "p.png", *more)
    assert out.code == 0, out.err
    files = [Path(f) for f in out.rows[-1]["files"]]
    assert [f.name for f in files] == ["p.0003.png", "p.0004.png", "p.0005.png"]
    assert all(Image.open(f).size == (96, 64) for f in files)
    out = command("render", tmp_path / "own.tenka", "--frames", "3:5", "--movie", tmp_path / "m.mp4", *more)
    assert out.code == 0, out.err
    with av.open(str(tmp_path / "m.mp4")) as container:
        assert sum(1 for _ in container.decode(video=0)) == 3


@pytest.mark.parametrize(
    ("words", "said"),
    (
        (("--movie", "m.avi"), "'.avi' is not written here"),
        (("--movie", "m.mp4", "--picture", "p.png"), "one place"),
        ((), "one place"),
        (("--movie", "m.mp4", "--size", "97x64"), "even numbers"),
        (("--movie", "nowhere/m.mp4"), "folder is not there"),
        (("--movie", "m.mp4", "--frames", "5:900"), "not all in the effect"),
        (("--movie", "m.mp4", "--frame", "3", "--frames", "1:2"), "exclude each other"),
    ),
)
def test_what_cannot_be_filmed_is_one_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, words: tuple[str, ...], said: str
):
    monkeypatch.chdir(tmp_path)
    save(small_effect(), tmp_path / "own.tenka")
    out = command("render", tmp_path / "own.tenka", *words)
    assert out.code == 2 and said in out.err and len(out.err.strip().splitlines()) == 1
    assert sorted(p.name for p in tmp_path.iterdir()) == ["own.tenka"]
