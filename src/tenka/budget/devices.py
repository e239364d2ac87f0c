"""Device profiles: readable files of made-up devices, and where a studio puts its own."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Literal

from platformdirs import user_config_path
from pydantic import BaseModel, ConfigDict, Field

from tenka.base.errors import BadInput
from tenka.base.tree import checked, read

SHIPPED = Path(__file__).parent / "devices"
BlockFormat = Literal["bc1", "bc3", "bc4", "bc5", "bc7", "astc4x4", "astc6x6", "astc8x8", "r8", "rgba8"]


def own_profiles() -> Path:
    """Where a studio's own profiles are."""
    return user_config_path("tenka") / "devices"


class Device(BaseModel):
    """What a device can do in a second, and what effects may take of it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    id: str
    name: str
    about: str = ""
    fill_gpixel_s: float = Field(gt=0, le=1e6)
    bandwidth_gb_s: float = Field(gt=0, le=1e6)
    arithmetic_gflop_s: float = Field(gt=0, le=1e9)
    particles_per_ms: float = Field(gt=0, le=1e9)
    target_bytes: float = Field(gt=0, le=64)  # of a pixel of the picture that is drawn into
    tile_based: bool  # blends in memory of its own, and writes each pixel once
    draw_call_us: float = Field(ge=0, le=1e5)
    largest_texture_px: int = Field(gt=0, le=65536)
    effects_memory_mb: float = Field(gt=0, le=1e6)
    frame_ms: float = Field(gt=0, le=1e4)
    effects_share: float = Field(gt=0, le=1)
    block_format: Literal["bc3", "bc7", "astc4x4", "astc6x6", "astc8x8", "rgba8"]  # holds colour and alpha
    calibrated: str = ""  # by what it was measured; empty: the figures are estimates

    @property
    def effects_ms(self) -> float:
        """What all effects together may take of a frame."""
        return self.frame_ms * self.effects_share


def load_device(file: Path) -> Device:
    """Read one profile; any fault is one sentence."""
    return checked(Device, read(file, "a device profile"), file)


@lru_cache(maxsize=1)
def _profiles() -> tuple[dict[str, Device], tuple[str, ...]]:
    found, faults = {}, []
    for folder in (SHIPPED, own_profiles()):
        for file in sorted(folder.glob("*.json")) if folder.is_dir() else []:
            try:
                device = load_device(file)
            except BadInput as error:
                faults.append(f"A device profile was set aside: {error}")
            else:
                found[device.id] = device
    return found, tuple(faults)


def devices() -> dict[str, Device]:
    """All profiles by id: those shipped, then the studio's own from the user's configuration folder; one that
    cannot be read is set aside."""
    return _profiles()[0]


def set_aside() -> tuple[str, ...]:
    """A sentence for each profile that could not be read."""
    return _profiles()[1]


def read_again() -> None:
    """Look at the profiles' folders anew."""
    _profiles.cache_clear()


def shipped() -> set[str]:
    """Ids of the profiles that ship with the application."""
    return {file.stem for file in SHIPPED.glob("*.json")}


def device(id: str) -> Device:
    try:
        return devices()[id]
    except KeyError:
        raise BadInput(f"no device profile is called '{id}'", "one of " + ", ".join(devices())) from None
