"""What can be added to an effect besides its first gas: layers of every kind, trails, children, cues."""

from __future__ import annotations

from typing import Any

from tenka.base.errors import BadInput
from tenka.effect.document import free_id, get
from tenka.effect.model import (
    FROM_LAYER,
    ON_PROP,
    Cue,
    DebrisLayer,
    DomainBox,
    Effect,
    Fading,
    Feed,
    GasLayer,
    Layer,
    Motion,
    ParticleLayer,
    Pieces,
    PointLayer,
    PointLook,
    PointMotion,
    PointSource,
    Source,
    ramp,
)

HOT: dict[str, Any] = {"opaque": 0.0, "lit": 0.0, "self_shadow": 0.0, "colour_by": "heat"}


def _where(effect: Effect) -> tuple[float, float, float]:
    """Where something new is put: at the first gas's first source, else a metre up."""
    for gas in effect.gases:
        for source in gas.sources:
            if source.shape not in (*ON_PROP, "particles"):
                return source.position
    return (0.0, 0.0, 1.0)


def _gas_of(effect: Effect) -> str:
    return effect.gases[0].id if effect.gases else ""


def new_gas(effect: Effect) -> Layer:
    """A further gas, in a box like that of the first."""
    domain = effect.gases[0].domain if effect.gases else DomainBox(origin=(-1.5, -1.5, 0.0), size=(3.0, 3.0, 3.0), voxel=0.07, run_up=0.0)
    source = Source(id="source", name="Source", position=_where(effect), size=(0.5, 0.5, 0.4), temperature=120.0)
    return GasLayer(
        id="gas", name="Gas", domain=domain, sources=(source,), fading=Fading(smoke=0.4, smoke_linear=0.1), motion=Motion(lift=0.8)
    )


def new_sparks(effect: Effect) -> Layer:
    """A burst of sparks: streaks that fly, bounce and cool."""
    source = PointSource(id="burst", name="Burst", shape="sphere", position=_where(effect), size=(0.3, 0.3, 0.3), rate=0.0, burst=600, burst_over=0.05, cone=70.0, speed=6.0,
                         speed_spread=0.7, life=1.1, life_spread=0.6, width=0.012, temperature=1600.0)  # fmt: skip
    return ParticleLayer(id="sparks", name="Sparks", sources=(source,), motion=PointMotion(drag=0.8, size_drag=0.5, cooling=0.8, bounce=0.35),
                         look=PointLook(form="streak", streak=0.025, brightness=4.0, softness=0.9, vary=0.5, **HOT))  # fmt: skip


def new_embers(effect: Effect) -> Layer:
    """Embers that rise and wander with the gas."""
    source = PointSource(id="rise", name="Rise", shape="sphere", position=_where(effect), size=(0.6, 0.6, 0.3), rate=60.0, cone=30.0, speed=1.0, life=2.5, life_spread=0.5, width=0.018,
                         temperature=1300.0)  # fmt: skip
    return ParticleLayer(id="embers", name="Embers", sources=(source,), run_up=1.0,
                         motion=PointMotion(gravity=0.05, drag=0.4, follows=_gas_of(effect), follow=6.0, cooling=0.35, ground="die"),
                         look=PointLook(form="sprite", brightness=4.0, softness=0.8, vary=0.4, scale=1.3, **HOT))  # fmt: skip


def new_dust(effect: Effect) -> Layer:
    """Dust that hangs in the air and goes with the gas."""
    source = PointSource(id="puff", name="Puff", shape="cylinder", position=_where(effect), size=(0.8, 0.8, 0.2), rate=1500.0, cone=60.0, speed=0.6, life=3.0, life_spread=0.5, width=0.05,
                         least_width=0.3, skew=2.0)  # fmt: skip
    return ParticleLayer(
        id="dust", name="Dust", sources=(source,), motion=PointMotion(gravity=0.03, drag=0.8, follows=_gas_of(effect), follow=8.0, size_drag=0.4, bounce=0.0, friction=0.8),
        look=PointLook(form="sprite", scale=2.0, size_over=ramp((0.0, 0.4), (0.3, 1.0), (1.0, 2.0)), opacity=0.2, opacity_over=ramp((0.0, 0.0), (0.08, 1.0), (0.4, 0.6), (1.0, 0.0)), softness=1.0),
    )  # fmt: skip


def new_debris(effect: Effect) -> Layer:
    """Pieces thrown at once, that tumble, bounce and come to rest."""
    source = PointSource(id="burst", name="Burst", shape="sphere", position=_where(effect), size=(0.4, 0.4, 0.4), rate=0.0, burst=40, burst_over=0.02, cone=60.0, speed=5.0, speed_spread=0.5,
                         life=8.0, life_spread=0.2, width=0.25, least_width=0.15, skew=2.5)  # fmt: skip
    return DebrisLayer(
        id="debris", name="Debris", sources=(source,), pieces=Pieces(), motion=PointMotion(drag=0.1, bounce=0.3, friction=0.5, forces=0.2)
    )


LAYERS = {"Gas": new_gas, "Sparks": new_sparks, "Embers": new_embers, "Dust": new_dust, "Debris": new_debris}


def with_new_layer(effect: Effect, layer: Layer) -> tuple[Effect, str]:
    """The effect with a further layer, on top of the others, and its path. Layers of the same name are told apart by numbers."""
    id = free_id(effect.layers, layer.id)
    number = id.rpartition("_")[2]
    taken = any(other.name == layer.name for other in effect.layers)
    name = f"{layer.name} {number}" if taken and number.isdigit() else layer.name
    layer = layer.model_copy(update={"id": id, "name": name[:60]})
    return Effect.model_validate({**dict(effect), "layers": (layer, *effect.layers)}), f"layers.{id}"


def with_trail(effect: Effect, layer_id: str) -> tuple[Effect, str]:
    """The effect with its first gas fed by the particles of a layer, so that they smoke; and the source's path."""
    layer, gas = effect.layer(layer_id), effect.gas()
    id = free_id(gas.sources, "trail")
    source = Source(id=id, name=f"{layer.name} smoke"[:60], shape="particles", of=layer_id, density=18.0, temperature=40.0, breakup=0.0, grip=4.0,
                    carried=ramp((0.0, 0.2), (1.0, 0.2)), point_size=2.0 if layer.kind == "particles" else 0.8, point_least=0.004)  # fmt: skip
    fed = gas.model_copy(update={"sources": (*gas.sources, source)})
    layers = tuple(fed if item.id == gas.id else item for item in effect.layers)
    return Effect.model_validate({**dict(effect), "layers": layers}), f"layers.{gas.id}.sources.{id}"


def with_children(effect: Effect, layer_id: str) -> tuple[Effect, str]:
    """The effect with particles that are born where those of a layer bounce; and the new layer's path."""
    layer = effect.layer(layer_id)
    source = PointSource(id="split", name="Split", shape="particles", of=layer_id, born_on="bounce", burst=4, rate=0.0, cone=75.0, speed=1.6, speed_spread=0.6, life=0.4, life_spread=0.6,
                         width=0.006, temperature=1500.0, carried=ramp((0.0, 0.4), (1.0, 0.4)))  # fmt: skip
    look = layer.look if isinstance(layer, ParticleLayer) else PointLook(form="streak", brightness=3.0, **HOT)
    return with_new_layer(
        effect,
        ParticleLayer(id="split", name=f"{layer.name} split"[:60], sources=(source,), motion=PointMotion(drag=1.2, cooling=1.2), look=look),
    )


def with_point_source(effect: Effect, layer_id: str) -> tuple[Effect, str]:
    """The effect with a further source of a layer of particles, and its path."""
    layer = effect.layer(layer_id)
    id = free_id(layer.sources, "source")
    source = PointSource(id=id, name="Source", position=_where(effect))
    new = layer.model_copy(update={"sources": (*layer.sources, source)})
    return effect.model_copy(
        update={"layers": tuple(new if item.id == layer_id else item for item in effect.layers)}
    ), f"layers.{layer_id}.sources.{id}"


def reshaped(effect: Effect, path: str, shape: str) -> Feed:
    """A source with another shape; where that needs a prop or a layer and none is named, the first that fits.

    Raises
    ------
    BadInput
        When the effect has none.
    """
    source: Feed = get(effect, path)
    changes: dict[str, object] = {"shape": shape}
    if shape in ON_PROP and not any(p.id == source.prop for p in effect.props):
        if not effect.props:
            raise BadInput("there is no prop to give birth yet", "a prop; add one from the tray first")
        changes["prop"] = effect.props[0].id
    own = path.split(".")[1]
    fitting = [x.id for x in effect.layers if (x.kind == "gas") == (shape == "gas") and x.id != own]
    if shape in FROM_LAYER and source.of not in fitting:
        if not fitting:
            raise BadInput(
                f"there is no layer of {'gas' if shape == 'gas' else 'particles'} to give birth yet", "one; add it from the tray first"
            )
        changes["of"] = fitting[0]
    return source.model_copy(update=changes)


def with_cue(effect: Effect, at: float) -> tuple[Effect, str]:
    """The effect with a cue at `at` seconds, and its path."""
    id = free_id(effect.cues, "cue")
    number = id.rpartition("_")[2]
    cue = Cue(id=id, name=f"Cue {number}" if number.isdigit() else "Cue", at=round(at, 4))
    return effect.model_copy(update={"cues": (*effect.cues, cue)}), f"cues.{id}"


def without_cue(effect: Effect, id: str) -> Effect:
    """The effect without a cue; what hung on it keeps its times."""
    at = next(c.at for c in effect.cues if c.id == id)

    def freed(layer: Layer) -> Layer:
        sources = tuple(s.model_copy(update={"cue": "", "delay": s.delay + at}) if s.cue == id else s for s in layer.sources)
        return layer.model_copy(update={"sources": sources})

    return effect.model_copy(
        update={"cues": tuple(c for c in effect.cues if c.id != id), "layers": tuple(freed(layer) for layer in effect.layers)}
    )


def without_layer(effect: Effect, id: str) -> Effect:
    """The effect without a layer, and without what took from it."""

    def freed(layer: Layer) -> Layer:
        layer = layer.model_copy(
            update={"sources": tuple(s for s in layer.sources if not (s.of == id and s.shape in ("gas", "particles")))}
        )
        if isinstance(layer, PointLayer):
            motion = layer.motion.model_copy(update={"follows": ""}) if layer.motion.follows == id else layer.motion
            look = layer.look.model_copy(update={"meets": ""}) if layer.look.meets == id else layer.look
            layer = layer.model_copy(update={"motion": motion, "look": look})
        return layer

    kept = tuple(freed(layer) for layer in effect.layers if layer.id != id)
    levers = tuple(lever for lever in effect.levers if not lever.path.startswith(f"layers.{id}."))
    tiers = tuple(
        t.model_copy(update={"levers": {k: v for k, v in t.levers.items() if any(lever.id == k for lever in levers)}}) for t in effect.tiers
    )
    return Effect.model_validate({**dict(effect), "layers": kept, "levers": levers, "tiers": tiers})
