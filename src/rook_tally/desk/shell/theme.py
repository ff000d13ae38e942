"""The roles of colour, and what each is. Plain data; `parts.ink` turns it into Qt's colours."""

from __future__ import annotations

from dataclasses import dataclass

from rook_tally.core.levels import Level


@dataclass(frozen=True, slots=True)
class Theme:
    """Every colour by its role, as `#RRGGBB`. `levels` and `tints` run from settled to severe."""

    paper: str
    sheet: str
    rule: str
    strong_rule: str
    ink: str
    dim: str
    faint: str
    night: str
    on_night: str
    on_night_dim: str
    standing_on_night: str
    here: str
    sheen: str
    on_sheen: str
    margin: str
    heard: str
    levels: tuple[str, str, str, str, str]
    tints: tuple[str, str, str, str, str]
    traces: tuple[str, ...]
    ribbon: str
    hatch: str
    rail: str

    def level(self, level: Level) -> str:
        """The colour of a level; it never stands without its strokes."""
        return self.levels[level]

    def tint(self, level: Level) -> str:
        """The ground of a cell or band at a level."""
        return self.tints[level]


LIGHT = Theme(
    paper="#F5F2EA",
    sheet="#FCFAF5",
    rule="#DDD6C6",
    strong_rule="#B9AF9A",
    ink="#1D2331",
    dim="#6F6B62",
    faint="#A39C8D",
    night="#222941",
    on_night="#F4F1E8",
    on_night_dim="#A9AEC2",
    standing_on_night="#E8A77C",
    here="#5DB0A6",
    sheen="#3E5C9A",
    on_sheen="#FFFFFF",
    margin="#D9A6A0",
    heard="#8FA0C8",
    levels=("#A39C8D", "#3C7D78", "#A88418", "#C05F22", "#8C2458"),
    tints=("#FCFAF5", "#FCFAF5", "#F5ECCD", "#F8E1D4", "#F1D9E3"),
    traces=("#27345C", "#9A6A1F", "#2F6F6A", "#7A3B6B", "#54606F", "#8A4B32"),
    ribbon="#6C7391",
    hatch="#C9C1B0",
    rail="#E7E2D5",
)
