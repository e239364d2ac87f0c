"""Device profiles: readable files of made-up devices, and where a studio puts its own."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import Literal

from platformdirs import user_config_path
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tenka.base.errors import BadInput
from tenka.effect.document import explain
from tenka.effect.storage import read_file

SHIPPED = Path(__file__).parent / "devices"
BlockFormat = Literal["bc1", "bc3", "bc4", "bc5", "bc7", "astc4x4", "astc6x6", "astc8x8", "rgba8"]


class Device(BaseModel):
    """What a device can do in a second, and what effects may take of it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str
    name: str
    about: str = ""
    fill_gpixel_s: float = Field(gt=0)
    bandwidth_gb_s: float = Field(gt=0)
    arithmetic_gflop_s: float = Field(gt=0)
    particles_per_ms: float = Field(gt=0)
    volume_samples_per_ms: float = Field(gt=0)
    largest_texture_px: int = Field(gt=0)
    effects_memory_mb: float = Field(gt=0)
    frame_ms: float = Field(gt=0)
    effects_share: float = Field(gt=0, le=1)
    block_format: BlockFormat


def load_device(file: Path) -> Device:
    """Read one profile; any fault is one sentence."""
    try:
        return Device.model_validate(json.loads(read_file(file, "a device profile")))
    except (json.JSONDecodeError, UnicodeDecodeError):
        raise BadInput("broken off or not JSON", "a device profile", file) from None
    except ValidationError as error:
        place = ".".join(str(p) for p in error.errors()[0]["loc"])
        raise BadInput(explain(error), file=file, place=place) from None


@lru_cache(maxsize=1)
def devices() -> dict[str, Device]:
    """All profiles by id: those shipped, then the studio's own from the user's configuration folder."""
    found = {}
    for folder in (SHIPPED, user_config_path("tenka") / "devices"):
        for file in sorted(folder.glob("*.json")) if folder.is_dir() else []:
            device = load_device(file)
            found[device.id] = device
    return found


def device(id: str) -> Device:
    try:
        return devices()[id]
    except KeyError:
        raise BadInput(f"no device profile is called '{id}'", "one of " + ", ".join(devices())) from None
