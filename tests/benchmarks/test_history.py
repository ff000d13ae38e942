"""Figures of benches kept over time, and two revisions compared in turn."""

from __future__ import annotations

import subprocess
from pathlib import Path

import pytest
from msgspec import structs

from benchmarks import history
from benchmarks.history import Change, HistoryRow, compare, keep, kept, row_now, speed_page
from rook_tally.core.errors import UsageError

FIGURE = {"name": "start", "ours": 3.0, "limit": 2.0, "ratio": 1.5, "bar": 1.5, "holds": True}


def test_rows_are_kept_with_commit_and_machine(tmp_path: Path) -> None:
    path = tmp_path / "deep" / "history.jsonl"
    assert kept(path) == []
    row = row_now(dict(FIGURE))
    assert row.machine
    keep([row], path)
    keep([row], path)
    # Half a line, as after a power cut, spoils no other.
    with path.open("ab") as file:
        file.write(b'{"at": "2026')
    assert kept(path) == [row, row]
    assert isinstance(row, HistoryRow)


@pytest.mark.parametrize(
    ("before", "after", "factor", "beyond"),
    [
        ((1.0, 1.1, 1.2), (1.3, 1.4, 1.5), 1.4 / 1.1, True),
        ((1.3, 1.4, 1.5), (1.0, 1.1, 1.2), 1.1 / 1.4, True),
        ((1.0, 1.2, 1.4), (1.1, 1.3, 1.5), 1.3 / 1.2, False),
    ],
)
def test_a_change_counts_when_no_run_of_one_is_like_any_of_the_other(
    before: tuple[float, ...], after: tuple[float, ...], factor: float, beyond: bool
) -> None:
    one = Change("start", before, after)
    assert one.factor == pytest.approx(factor)
    assert one.beyond_noise is beyond


@pytest.fixture
def checkout(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A repository of its own with one commit."""
    root = tmp_path / "repository"
    (root / "src" / "rook_tally").mkdir(parents=True)
    (root / "src" / "rook_tally" / "__init__.py").write_text("")
    identity = ("-c", "user.name=wren", "-c", "user.email=wren@example.org")
    for words in (("init", "-q"), ("add", "."), (*identity, "commit", "-q", "-m", "first")):
        subprocess.run(["git", *words], cwd=root, check=True)
    monkeypatch.setattr(history, "ROOT", root)
    return root


def test_both_revisions_are_measured_in_turn(
    checkout: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []

    def ratios(root: Path, names: list[str]) -> dict[str, float]:
        asked.append("after" if root == checkout else "before")
        assert (root / "src" / "rook_tally").is_dir()
        return {"start": float(len(asked))} | ({"new": 1.0} if root == checkout else {})

    monkeypatch.setattr(history, "_ratios", ratios)
    (one,) = compare("HEAD", ["start"], 2)
    assert asked == ["before", "after"] * 2
    assert (one.before, one.after) == ((1.0, 3.0), (2.0, 4.0))


def test_a_revision_that_is_none_is_said(checkout: Path) -> None:
    assert history.commit_of(checkout)
    (checkout / "more").write_text("")
    assert history.commit_of(checkout).endswith("+")
    with pytest.raises(UsageError, match="cannot be checked out"):
        compare("no-such-revision", [], 2)


def test_the_page_has_the_newest_figure_of_each_of_the_last_machine() -> None:
    def row(name: str, machine: str, ratio: float, *, holds: bool = True) -> HistoryRow:
        return HistoryRow("2026-12-01T10:00:00", "abc", machine, name, 3, 2, ratio, 1.5, holds)

    rows = [
        row("start", "other", 9.0),
        row("start", "this", 2.0, holds=False),
        row("size.10", "this", 1.2),
        row("start", "this", 1.4),
    ]
    page = speed_page(rows, {"start": "From start to paint.", "size": "Bytes."})
    told = [line for line in page.splitlines() if line.startswith("| `")]
    assert [line.split("|")[1].strip() for line in told] == ["`size.10`", "`start`"]
    assert "| 1.40 | 1.50 | holds | abc | From start to paint. |" in told[1]
    assert "does not hold**" not in page
    assert "none yet" in speed_page([], {})


def test_figures_that_a_bench_has_no_more_are_not_on_the_page() -> None:
    was = row_now({**FIGURE, "name": "window.old", "bench": "window"})
    was = structs.replace(was, at="2026-11-29T10:00:00+00:00")
    told = row_now({**FIGURE, "name": "window.10s.1h", "bench": "window", "spread": (1.4, 1.625)})
    rail = row_now({**FIGURE, "name": "scrub", "bench": "desk"})
    page = speed_page([was, told, rail], {"window": "Reading windows.", "desk": "One window."})
    assert "window.old" not in page
    assert "| `window.10s.1h` | 3 | 2 | 1.50 (1.40–1.62) | 1.50 | holds |" in page
    assert page.count("One window.") == 1


def test_growth_is_a_table_that_names_its_first_wall() -> None:
    questions = ("file", "open", "commit", "picture", "window", "scrub", "memory")
    rows = [
        row_now(
            {**FIGURE, "name": f"growth.{stations}.{days}.{what}", "bench": "growth"}
            | (
                {"holds": False, "ratio": 2.5, "ours": 300.0 + days}
                if (stations, what) == (1000, "picture")
                else {}
            )
        )
        for stations, days in ((10, 30), (1000, 365), (1000, 30))
        for what in questions
    ]
    page = speed_page(rows, {})
    assert "| `growth" not in page
    assert "| 10 | 30 | 3 | 3.0 (1.5) | 3.0 (1.5) |" in page
    assert "**665.0 (2.5)**" in page
    assert page.endswith("longer than 0.3 s: `picture` at 1,000 stations, 30 days.\n")


def test_a_store_on_a_server_has_a_table_of_its_own() -> None:
    questions = ("file", "open", "commit", "picture", "window", "scrub", "memory")
    rows = [
        row_now({**FIGURE, "name": f"{bench}.10.30.{what}", "bench": bench})
        for bench in ("growth", "growth-server")
        for what in questions
    ]
    page = speed_page(rows, {})
    assert page.count("| 10 | 30 | 3 | 3.0 (1.5) |") == 2
    here, _, there = page.partition("### On a server")
    assert "## How it grows" in here
    assert "PostgreSQL" in there
