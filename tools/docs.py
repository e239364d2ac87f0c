"""Write what the docs take from the code: the package's JSON schema and the guide's tables of settings."""

import json
from pathlib import Path

from tenka.effect import model
from tenka.effect.catalogue import table_markdown
from tenka.effect.routes.bodies import BodyBake
from tenka.effect.routes.grid import LiveGrid
from tenka.effect.routes.light import LightPlayer, LightTrack
from tenka.effect.routes.particles import ParticleBake, SwarmPlayer
from tenka.effect.routes.shimmer import Shimmer, ShimmerPlayer
from tenka.effect.routes.slices import SlicePlayer, SliceStack
from tenka.effect.routes.trails import TrailBake, TrailPlayer
from tenka.effect.routes.volume import Volume, VolumePlayer
from tenka.package.manifest import schema

DOCS = Path(__file__).parent.parent / "docs"
GUIDE = Path(__file__).parent.parent / "src" / "tenka" / "guide"
MODELS = {
    "Effect": model.Effect,
    "Domain": model.DomainBox,
    "Source": model.Source,
    "Motion": model.Motion,
    "Wind": model.Wind,
    "Turbulence": model.Turbulence,
    "Swirl": model.Swirl,
    "Pull": model.Pull,
    "Drag": model.Brake,
    "Gravity": model.Gravity,
    "Fire": model.Fire,
    "Collider": model.Collider,
    "Fading": model.Fading,
    "Quality": model.Quality,
    "Look": model.Look,
    "Light": model.Light,
    "Flipbook": model.Flipbook,
    "Player": model.Player,
    "Delivered particles": ParticleBake,
    "Particles as played": SwarmPlayer,
    "Delivered trails": TrailBake,
    "Trails as played": TrailPlayer,
    "Delivered bodies": BodyBake,
    "Volume": Volume,
    "Volume as played": VolumePlayer,
    "Slices": SliceStack,
    "Slices as played": SlicePlayer,
    "Live grid": LiveGrid,
    "Shimmer": Shimmer,
    "Shimmer as played": ShimmerPlayer,
    "Delivered light": LightTrack,
    "Light as played": LightPlayer,
    "Tier": model.Tier,
    "Prop": model.Prop,
    "Particle source": model.PointSource,
    "Gas layer": model.GasLayer,
    "Particle layer": model.ParticleLayer,
    "Particle motion": model.PointMotion,
    "Particle collider": model.PointCollider,
    "Ends": model.Ends,
    "Bed": model.Bed,
    "Particle look": model.PointLook,
    "Pieces": model.Pieces,
    "Bodies": model.Bodies,
    "Cue": model.Cue,
}

if __name__ == "__main__":
    (DOCS / "package-schema.json").write_text(json.dumps(schema(), indent=1) + "\n")
    parts = [
        f"## {name}\n\n{(m.__doc__ or '').strip()}\n\n{table_markdown(m)}\n" for name, m in MODELS.items()
    ]
    (GUIDE / "settings.md").write_text(
        "# All settings\n\nWritten by tools/docs.py from the catalogue.\n\n" + "\n".join(parts)
    )
