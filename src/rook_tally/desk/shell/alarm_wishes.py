"""What a person wants of an alarm, from whichever view: asked of the collector, which does it."""

from __future__ import annotations

import getpass
from dataclasses import dataclass

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.desk.shell.undo import Done
from rook_tally.desk.wording import said
from rook_tally.store import AlarmWish, RequestSort, ask

_TOLD_OF = {
    RequestSort.ACKNOWLEDGE: "acknowledging {0}",
    RequestSort.SHELVE: "shelving {0}",
    RequestSort.UNSHELVE: "taking {0} off the shelf",
    RequestSort.TRIAL: "ringing {0} as a trial",
}


@dataclass(frozen=True, slots=True)
class AskOfAlarm:
    """Acknowledge, shelve or take off the shelf what a watch rang; of one series or of all."""

    sort: RequestSort
    watch: str
    name: str
    now_us: int
    series_id: int | None = None
    word: str = ""
    until_us: int | None = None

    def made(self, connection: Connection) -> Done:
        """Ask for it. What is shelved comes off its shelf when this is undone."""
        wish = msgspec.json.encode(AlarmWish(self.word, self.until_us)).decode()
        ask(
            connection, self.sort, self.watch,
            "" if self.series_id is None else str(self.series_id), wish,
            who=getpass.getuser(), now_us=self.now_us,
        )  # fmt: skip
        back = None
        if self.sort is RequestSort.SHELVE:
            back = AskOfAlarm(
                RequestSort.UNSHELVE, self.watch, self.name, self.now_us, self.series_id
            )
        return Done(said(_TOLD_OF[self.sort], self.name), back)
