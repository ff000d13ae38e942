"""The script at the root: what it does on a machine where something is missing."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

ROOT = Path(__file__).parent.parent


def _stub(folder: Path, name: str, body: str) -> None:
    path = folder / name
    path.write_text(f"#!/bin/sh\n{body}\n")
    path.chmod(0o755)


def _rook(folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
    environment = os.environ | {"PATH": f"{folder}:{os.environ['PATH']}"}
    return subprocess.run(
        [str(ROOT / "rook"), *words], env=environment, capture_output=True, text=True, check=False
    )


def test_without_root_it_prints_the_one_line_to_run_and_stops(tmp_path: Path) -> None:
    _stub(tmp_path, "id", "echo 1000")
    _stub(tmp_path, "ldconfig", "exit 0")
    done = _rook(tmp_path, "--version")
    assert (done.returncode, done.stdout) == (1, "")
    line = done.stderr.strip().splitlines()[-1]
    assert line.startswith("sudo apt-get install -y --no-install-recommends libxcb-cursor0 ")
    assert "libegl1" in line


def test_with_all_there_it_passes_the_command_on_and_installs_nothing(tmp_path: Path) -> None:
    _stub(tmp_path, "apt-get", "echo called >&2; exit 1")
    _stub(tmp_path, "id", "echo 0")
    done = _rook(tmp_path, "latest", "--store", str(tmp_path / "none.db"))
    assert done.returncode == 1
    assert "there is no store at" in done.stderr
    assert "called" not in done.stderr


def test_files_are_named_from_where_a_person_stands(tmp_path: Path) -> None:
    (tmp_path / "site.toml").write_text('format = 1\n[site]\nname = "Quay"\n')
    words = ("--store", "own.db", "site", "plan", "site.toml")
    made = subprocess.run(
        [str(ROOT / "rook"), "--store", "own.db", "site", "set", "--name", "Shed"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert made.returncode == 0, made.stderr
    assert (tmp_path / "own.db").exists()
    done = subprocess.run(
        [str(ROOT / "rook"), *words], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert (done.returncode, "Quay" in done.stdout) == (0, True), done.stderr


def test_it_is_plain_posix_shell() -> None:
    for script in ("rook", "scripts/check", "scripts/lock"):
        assert subprocess.run(["dash", "-n", str(ROOT / script)], check=False).returncode == 0
