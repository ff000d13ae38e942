"""Site files to begin with: places, limits, watches and a sheet; stations are taken in as they
come."""

from __future__ import annotations

from importlib import resources

READY_MADE = {
    "home": "rooms of a flat or house: air, damp and cold",
    "classroom": "a school's rooms: stale air, noise, warmth",
    "workshop": "a workshop: dust, noise, machines, damp stock",
    "greenhouse": "beds and benches: warmth, frost, damp soil",
}
"""By name, with what each is for."""


def ready_made(name: str) -> str:
    """The text of one of them; KeyError for any other name."""
    if name not in READY_MADE:
        raise KeyError(name)
    return resources.files(__name__).joinpath(f"{name}.toml").read_text(encoding="utf-8")
