"""Figures kept over time, and two revisions measured in turn.

A row of the history names the commit and the machine, since figures of two machines say nothing of
each other. Revisions are compared by running both in turn, A B A B: what the machine does beside
then falls on both.
"""

from __future__ import annotations

import json
import os
import platform
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path

import msgspec

from rook_tally.core.errors import UsageError

ROOT = Path(__file__).resolve().parent.parent
HISTORY = ROOT / ".bench" / "history.jsonl"
_PAIRS = 3
# Figures of one run are written down together.
_ONE_RUN = timedelta(seconds=30)
# A run may take minutes; none takes an hour.
_WITHIN_S = 3600.0


class HistoryRow(msgspec.Struct, frozen=True):
    """A figure as it was measured once."""

    at: str
    commit: str
    machine: str
    name: str
    ours: float
    limit: float
    ratio: float
    bar: float
    holds: bool
    spread: tuple[float, float] | None = None
    bench: str = ""


class Change(msgspec.Struct, frozen=True):
    """A figure of two revisions: ratios to the limit in each run, in turn; `beyond_noise` if every
    run of one lies on one side of every run of the other."""

    name: str
    before: tuple[float, ...]
    after: tuple[float, ...]

    @property
    def factor(self) -> float:
        """The median after by the median before."""
        return statistics.median(self.after) / statistics.median(self.before)

    @property
    def beyond_noise(self) -> bool:
        """True if no run of one revision is like any of the other."""
        return max(self.before) < min(self.after) or max(self.after) < min(self.before)


def machine() -> str:
    """What tells machines apart: processors, memory, system."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 2**30
    model = platform.processor() or platform.machine()
    return f"{os.cpu_count()} × {model}, {memory:.0f} GiB, {platform.system()} {platform.release()}"


def commit_of(root: Path = ROOT) -> str:
    """The commit that is checked out, with + where something was changed since."""
    told = _git(root, "rev-parse", "--short", "HEAD")
    return told + ("+" if _git(root, "status", "--porcelain") else "")


def keep(rows: Sequence[HistoryRow], path: Path = HISTORY) -> None:
    """Add rows to the history."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("ab") as file:
        for one in rows:
            file.write(msgspec.json.encode(one) + b"\n")


def kept(path: Path = HISTORY) -> list[HistoryRow]:
    """All rows of the history, the oldest first; a line that is none is left out."""
    if not path.exists():
        return []
    found = []
    for line in path.read_bytes().splitlines():
        try:
            found.append(msgspec.json.decode(line, type=HistoryRow))
        except msgspec.MsgspecError:
            continue
    return found


def newest(rows: Sequence[HistoryRow]) -> list[HistoryRow]:
    """The figures of each bench's last run on the machine of the last row, by name: those that it
    had once and has no more are left out."""
    if not rows:
        return []
    ours = [one for one in rows if one.machine == rows[-1].machine]
    last = {bench_of(one): datetime.fromisoformat(one.at) for one in ours}
    found = {
        one.name: one
        for one in ours
        if last[bench_of(one)] - datetime.fromisoformat(one.at) <= _ONE_RUN
    }
    return [found[name] for name in sorted(found)]


def bench_of(row: HistoryRow) -> str:
    """The bench it is a figure of; of rows that do not say it, that of their name."""
    return row.bench or row.name.partition(".")[0]


def speed_page(rows: Sequence[HistoryRow], about: Mapping[str, str]) -> str:
    """The newest figures as a page, with what each bench is about."""
    told = newest(rows)
    grown = [one for one in told if bench_of(one) == _GROWTH]
    on_server = [one for one in told if bench_of(one) == _ON_SERVER]
    lines = [
        "# How fast it is",
        "",
        "Written by `./rook bench --page docs/speed.md` from the figures that were kept.",
        "Each is measured beside a limit in the same run, the ratio is ours to the limit;",
        "times and rates by themselves say more of the machine than of the program.",
        "A bar that does not hold stays here until it does.",
        "",
        f"Machine: {told[-1].machine if told else 'none yet'}",
        "",
        "Where a range stands behind a ratio, both were measured several times in turn: from the",
        "least to the most of the pairs.",
        "",
        "Ours and its limit are warmed up alike before anything counts: a first round, or the",
        "first few, are left out; servers and open pages settle for three seconds, a fleet until",
        "all its stations have begun, an idle desk for forty. Of `start` only the first of all",
        "starts is left out, which compiles.",
        "",
        "| figure | ours | limit | ratio | bar | | commit | what it is |",
        "| --- | ---: | ---: | ---: | ---: | --- | --- | --- |",
    ]
    for one in told:
        if one in grown or one in on_server:
            continue
        verdict = "holds" if one.holds else "**does not hold**"
        words = about.get(bench_of(one), "")
        between = "" if one.spread is None else f" ({one.spread[0]:.2f}–{one.spread[1]:.2f})"
        lines.append(
            f"| `{one.name}` | {one.ours:g} | {one.limit:g} | {one.ratio:.2f}{between} "
            f"| {one.bar:.2f} "
            f"| {verdict} | {one.commit} | {words} |"
        )
    if grown:
        lines += ["", "## How it grows", "", *_GROWTH_WORDS, "", *_growth_table(grown)]
    if on_server:
        lines += ["", "### On a server", "", *_SERVER_WORDS, "", *_growth_table(on_server)]
    return "\n".join(lines) + "\n"


def _growth_table(rows: Sequence[HistoryRow]) -> list[str]:
    """How a store grows: a row a size, a column a question, and where it first is too much."""
    by_size: dict[tuple[int, int], dict[str, HistoryRow]] = {}
    for one in rows:
        _, of_stations, of_days, what = one.name.split(".")
        by_size.setdefault((int(of_stations), int(of_days)), {})[what] = one
    questions = ("file", "open", "commit", "picture", "window", "scrub", "memory")
    lines = [
        "| stations | days | " + " | ".join(questions) + " |",
        "| ---: " * (2 + len(questions)) + "|",
    ]
    walls = []
    for (stations, days), found in sorted(by_size.items()):
        cells = []
        for what in questions:
            one = found[what]
            if what == "file":
                cells.append(f"{one.ours:.0f}")
                continue
            text = f"{one.ours:.1f} ({one.ratio:.1f})"
            cells.append(text if one.holds else f"**{text}**")
            if what != "memory" and one.ours > _FELT_MS:
                walls.append((stations * days, f"`{what}` at {stations:,} stations, {days:,} days"))
        lines.append(f"| {stations:,} | {days:,} | " + " | ".join(cells) + " |")
    first = min(walls)[1] if walls else "none of these sizes"
    return [*lines, "", f"The first wall, what takes longer than 0.3 s: {first}."]


_GROWTH, _ON_SERVER = "growth", "growth-server"
_GROWTH_WORDS = (
    "Stations of five series each at 300 s, made by sealing directly; each size is asked by a",
    "process of its own. File and memory in MB, the rest in ms. In brackets the ratio:",
    "`commit` (five readings), `picture`, `window` (eight series, three weeks) and `scrub` (a",
    "moment of three weeks ago, all series) to the same rows bare, `open` to the smallest",
    "store, `memory` to as many stations with a month. Bold: the bar does not hold.",
)
_SERVER_WORDS = (
    "The same of stores on a PostgreSQL of this machine (fsync off), beside its driver alone; what",
    "two and four collectors take in together is in the rows of `server`.",
)
# From here on a person wants to be told that something is under way.
_FELT_MS = 300


def row_now(figure: dict[str, object]) -> HistoryRow:
    """A figure that was measured just now."""
    now = datetime.now(UTC).isoformat(timespec="seconds")
    return msgspec.convert(
        figure | {"at": now, "commit": commit_of(), "machine": machine()}, HistoryRow
    )


def compare(revision: str, names: Sequence[str], pairs: int = _PAIRS) -> list[Change]:
    """Measure a revision and what is checked out in turn.

    Raises
    ------
    UsageError
        When there is no such revision, or a bench of it cannot be run.
    """
    before: dict[str, list[float]] = {}
    after: dict[str, list[float]] = {}
    with _checked_out(revision) as folder:
        for _ in range(pairs):
            for root, found in ((folder, before), (ROOT, after)):
                for name, ratio in _ratios(root, names).items():
                    found.setdefault(name, []).append(ratio)
    return [
        Change(name, tuple(before[name]), tuple(after[name])) for name in after if name in before
    ]


@contextmanager
def _checked_out(revision: str) -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="rook-tally-bench-") as parent:
        folder = Path(parent) / "before"
        done = subprocess.run(
            ["git", "worktree", "add", "--detach", "--quiet", str(folder), revision],
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            raise UsageError(
                f"{revision} cannot be checked out: {done.stderr.strip()}",
                remedy="name a commit, a tag or a branch",
            )
        try:
            yield folder
        finally:
            subprocess.run(
                ["git", "worktree", "remove", "--force", str(folder)], cwd=ROOT, check=False
            )


def _ratios(root: Path, names: Sequence[str]) -> dict[str, float]:
    """The ratios to their limits of a revision's benches, by its own code."""
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks", "--json", *names],
        cwd=root,
        env=os.environ | {"PYTHONPATH": f"{root / 'src'}{os.pathsep}{root}"},
        capture_output=True,
        text=True,
        check=False,
        timeout=_WITHIN_S,
    )
    lines = [line for line in done.stdout.splitlines() if line.startswith("[")]
    if not lines:
        raise UsageError(
            f"the benches of {root.name} gave no figures: {done.stderr.strip()[-300:]}",
            remedy="name benches that both revisions have",
        )
    return {one["name"]: one["ratio"] for one in json.loads(lines[-1])}


def _git(root: Path, *words: str) -> str:
    done = subprocess.run(["git", *words], cwd=root, capture_output=True, text=True, check=False)
    return done.stdout.strip()
