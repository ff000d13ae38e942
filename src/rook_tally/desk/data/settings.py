"""The arrangement of the window, saved for each store."""

from __future__ import annotations

import enum
from pathlib import Path

import msgspec


class ThemeChoice(enum.Enum):
    """Which theme: the desktop's, or always one of ours."""

    FOLLOW = "follow"
    LIGHT = "light"
    NIGHT = "night"

    @property
    def next(self) -> ThemeChoice:
        """The one that comes after it when it is changed."""
        order = list(ThemeChoice)
        return order[(order.index(self) + 1) % len(order)]


class LedgerOrder(enum.Enum):
    """In which order the Ledger's places stand."""

    PLACES = "places"
    WORST_FIRST = "worst first"


class LedgerArrangement(msgspec.Struct, frozen=True, omit_defaults=True):
    """How the Ledger is arranged: order, hidden places and quantities, the order a person gave them
    (by name and slug), whose value a cell shows: station by "place/quantity", the group the lines
    below speak for (empty for all indoors), and the floors that are folded."""

    order: LedgerOrder = LedgerOrder.PLACES
    hidden_places: tuple[str, ...] = ()
    hidden_quantities: tuple[str, ...] = ()
    places: tuple[str, ...] = ()
    quantities: tuple[str, ...] = ()
    stations: dict[str, str] = {}
    group: str = ""
    folded: tuple[str, ...] = ()


class WallSettings(msgspec.Struct, frozen=True, omit_defaults=True):
    """Display of sheets: the monitor (by name; empty for the first), seconds a sheet stands (0:
    until somebody turns), and the night, in minutes of the local day."""

    screen: str = ""
    turn_s: float = 20.0
    dims: bool = True
    night_from_min: int = 22 * 60
    night_to_min: int = 6 * 60 + 30


class DeskSettings(msgspec.Struct, frozen=True, omit_defaults=True):
    """Theme, view, length of the window, lanes as (station, field), the Ledger's arrangement,
    how sheets of the Wall are shown, Qt's own window geometry, whether the doors of the
    window's collector are open to the network, and the files chosen last, by what for."""

    theme: ThemeChoice = ThemeChoice.FOLLOW
    view: int = 0
    span_us: int = 0
    lanes: tuple[tuple[tuple[str, str], ...], ...] = ()
    geometry: str = ""
    ledger: LedgerArrangement = LedgerArrangement()
    wall: WallSettings = WallSettings()
    opens_doors: bool = False
    files: dict[str, str] = {}


class SettingsFile:
    """A JSON file with the settings of every store that was opened, by the store's id."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._last: DeskSettings | None = None

    def of_store(self, store_id: str) -> DeskSettings:
        """The settings of a store; the usual ones when there are none that can be read."""
        try:
            return self._all().get(store_id, DeskSettings())
        except (OSError, msgspec.MsgspecError) as error:
            _warn("settings_not_read", self._path, error)
            return DeskSettings()

    def keep_if_other(self, store_id: str, settings: DeskSettings) -> None:
        """Keep the settings of a store if they are not those kept last."""
        if settings != self._last:
            self.keep(store_id, settings)
            self._last = settings

    def keep(self, store_id: str, settings: DeskSettings) -> None:
        """Keep the settings of a store. A file that cannot be read is put aside, not lost."""
        try:
            known = self._all()
        except msgspec.MsgspecError:
            self._path.replace(self._path.with_suffix(".unreadable.json"))
            known = {}
        except OSError as error:
            _warn("settings_not_kept", self._path, error)
            return
        known[store_id] = settings
        beside = self._path.with_suffix(".new")
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            beside.write_bytes(msgspec.json.format(msgspec.json.encode(known)))
            beside.replace(self._path)
        except OSError as error:
            _warn("settings_not_kept", self._path, error)

    def _all(self) -> dict[str, DeskSettings]:
        if not self._path.exists():
            return {}
        return msgspec.json.decode(self._path.read_bytes(), type=dict[str, DeskSettings])


def _warn(event: str, path: Path, error: Exception) -> None:
    # Loaded late: it takes as long as a bare window, and is hardly ever needed.
    import structlog

    structlog.get_logger(__name__).warning(event, file=str(path), why=str(error))
