"""Site files in the window: what one would change, read, and the site saved as one."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.engine import Connection

from rook_tally.core.site_file.content import SiteContent, SitePart
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.core.site_file.ready_made import READY_MADE, ready_made
from rook_tally.desk.data.site_commands import recorded
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.leaving.first_use import first_uses
from rook_tally.login import login_name
from rook_tally.store.site.change_history import ChangeLine, ChangeSort
from rook_tally.store.site_file.exporting import content_of, write_site_file
from rook_tally.store.site_file.importing import put_content, text_of
from rook_tally.store.site_file.planning import plan_of


@dataclass(frozen=True, slots=True)
class SiteSource:
    """A site file: a path, or the name of a ready-made one; `part` alone, or with None all of
    it."""

    name: str
    part: SitePart | None = None

    def content(self) -> SiteContent:
        """Its content.

        Raises
        ------
        UsageError
            When it cannot be read, or something in it cannot be.
        """
        is_ours = self.name in READY_MADE
        text = ready_made(self.name) if is_ours else text_of(Path(self.name).expanduser())
        content = site_from_toml(text)
        return content if self.part is None else content.only(frozenset({self.part}))


@dataclass(frozen=True, slots=True)
class PlanSite:
    """Say what reading a site file would change, first of all what would leave this machine;
    nothing is."""

    source: SiteSource
    now_us: int

    def apply(self, connection: Connection) -> list[ChangeLine]:
        """Look."""
        content = self.source.content()
        opened = [ChangeLine(ChangeSort.ADDED, one) for one in first_uses(connection, content)]
        return opened + plan_of(connection, content, who=login_name(), now_us=self.now_us)


@dataclass(frozen=True, slots=True)
class ReadSite:
    """The site shall be what a file says."""

    source: SiteSource
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Read it."""
        content = self.source.content()
        return recorded(
            connection,
            tr("site file {0} read", Path(self.source.name).name),
            lambda one: put_content(one, content, who=login_name(), now_us=self.now_us),
        )


@dataclass(frozen=True, slots=True)
class SaveSiteFile:
    """Save the site as a file."""

    target: str

    def run(self, connection: Connection) -> str:
        """Write it; returns where."""
        write_site_file(content_of(connection), Path(self.target))
        return self.target
