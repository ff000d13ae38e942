"""The roles of colour, and what each is. Plain data; `parts.ink` turns it into Qt's colours."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

from rook_tally.core.quantities.levels import Level


@dataclass(slots=True, eq=False)
class Theme:
    """Every colour by its role, as `#RRGGBB`. `levels` and `tints` run from settled to severe.

    A window has one of its own (`own`), which becomes another while everything that draws by it
    stands; `LIGHT` and `NIGHT` are never altered.
    """

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

    def own(self) -> Theme:
        """A copy that may become another theme."""
        return replace(self)

    def become(self, other: Theme) -> None:
        """Take another theme's colours."""
        for one in fields(self):
            setattr(self, one.name, getattr(other, one.name))

    @property
    def colours(self) -> tuple[str, ...]:
        """Every colour, in the order of the roles."""
        found: list[str] = []
        for one in fields(self):
            value = getattr(self, one.name)
            found += [value] if isinstance(value, str) else value
        return tuple(found)

    def exchanged(self, other: Theme) -> dict[str, str]:
        """The colour of another theme that has the role of each of this one's; nothing for the
        same theme."""
        return {
            mine: theirs
            for mine, theirs in zip(self.colours, other.colours, strict=True)
            if mine != theirs
        }

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

NIGHT = Theme(
    paper="#1B1E27",
    sheet="#15171E",
    rule="#2C303B",
    strong_rule="#474D5B",
    ink="#E6E2D8",
    dim="#A09B8E",
    faint="#6F6E6A",
    night="#0D0F15",
    on_night="#F4F1E8",
    on_night_dim="#9AA0B5",
    standing_on_night="#E8A77C",
    here="#5DB0A7",
    sheen="#86A3DF",
    on_sheen="#10131A",
    margin="#6E4A47",
    heard="#5F6E9C",
    levels=("#6F6E6A", "#5DB0A6", "#D3B045", "#E28B55", "#DB76AB"),
    tints=("#15171E", "#15171E", "#332C14", "#3B2517", "#3A1A2B"),
    traces=("#AEBCE4", "#D9A75B", "#6CBDB2", "#C98FB9", "#A4B1C0", "#D39076"),
    ribbon="#8E97BC",
    hatch="#3D4250",
    rail="#20232D",
)
