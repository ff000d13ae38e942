"""The table of benches: how a figure is judged, and a name it does not know."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from benchmarks.table import at_least, figure_of

ROOT = Path(__file__).parents[2]


def test_bench_figures_are_judged_by_their_ratio() -> None:
    good = figure_of("start", ours=960, limit=650, bar=1.6)
    assert (good.ratio, good.holds) == (1.4769, True)
    assert not figure_of("start", ours=1200, limit=650, bar=1.6).holds
    assert at_least("append", ours=70, limit=100, bar=0.6).holds
    assert not at_least("append", ours=50, limit=100, bar=0.6).holds


def test_a_name_that_is_none_is_refused_with_those_there_are() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks", "patience"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 1
    assert "no bench 'patience'; there are live, start, append" in done.stderr


def test_what_is_installed_holds_no_bench_and_no_pictures() -> None:
    product = {path.stem for path in (ROOT / "src").rglob("*.py")}
    assert not {name for name in product if name.startswith(("benchmark", "shots", "screenshots"))}
