"""Our error tree. A foreign error is translated into one of these where it enters.

RookTallyError                what happened, what was kept, what to do
├── UsageError                the caller asked for something that cannot be meant (exit code 2)
├── DecodeError               a message that cannot be read at all (store.errors, intake)
├── StoreError                the store cannot be opened, read or written (store)
│   └── UnkeepableError       the store works and cannot take this; trying again will not help
├── DoorError                 a door cannot be opened (intake)
├── CancelledError            whoever asked for it does not want it any more
└── ControlError              a station did not confirm what was asked of it (cli)
"""


class RookTallyError(Exception):
    """Something went wrong in a way a person can act on.

    Parameters
    ----------
    what : str
        What happened, one sentence without a full stop.
    kept : str
        What was kept or is unharmed, if that is in question.
    remedy : str
        What to do about it.
    """

    def __init__(self, what: str, *, kept: str = "", remedy: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.kept = kept
        self.remedy = remedy

    def __str__(self) -> str:
        return "; ".join(part for part in (self.what, self.kept, self.remedy) if part)


class UsageError(RookTallyError):
    """An argument that cannot be meant: wrong words, wrong range, unknown name."""


class DecodeError(RookTallyError):
    """A whole message cannot be read: not JSON, ends in the middle, not UTF-8."""


class StoreError(RookTallyError):
    """The store cannot be opened, read or written."""


class UnkeepableError(StoreError):
    """The store works and cannot take, or read, just this: trying again will not help."""


class DamagedPageError(UnkeepableError):
    """A page whose bytes are not those that were written."""


class DoorError(RookTallyError):
    """A door cannot be opened or kept open."""


class CancelledError(RookTallyError):
    """Whoever asked for it does not want it any more; what was begun is taken back."""


class ControlError(RookTallyError):
    """A station did not confirm what was asked of it."""
