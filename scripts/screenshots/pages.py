"""Pictures of the sheets' pages, taken by Chromium from a page server at a held moment."""

from __future__ import annotations

import asyncio
import shutil
import subprocess
import tempfile
from pathlib import Path

import typer

from rook_tally.core.errors import RookTallyError
from rook_tally.intake.addresses import Endpoint, bound_socket
from rook_tally.store.base import Store
from rook_tally.store.site import add_page_device
from rook_tally.web.server import PageServer

_SIZES = {"page-phone": (390, 1230), "page-tablet": (1280, 800)}
_WITHIN_S = 60


def take_page_shots(store: Store, directory: Path, *, at_us: int) -> None:
    """Write a phone's and a tablet's picture; without Chromium those that are there stay."""
    program = shutil.which("chromium")
    if program is None:
        typer.echo("chromium is not installed; the pages' pictures stay as they are", err=True)
        return
    asyncio.run(_take(store, directory, at_us, program))


async def _take(store: Store, directory: Path, at_us: int, program: str) -> None:
    listening = bound_socket(Endpoint("127.0.0.1", 0))
    server = PageServer(listening, store=store, clock=lambda: at_us)
    await server.open()
    try:
        for name, size in _SIZES.items():
            with store.write() as connection:
                key = add_page_device(connection, name, now_us=at_us)
            address = f"http://127.0.0.1:{listening.getsockname()[1]}/link/{key}"
            await asyncio.to_thread(_picture, program, address, directory / f"{name}.png", size)
    finally:
        await server.close()


def _picture(program: str, address: str, path: Path, size: tuple[int, int]) -> None:
    with tempfile.TemporaryDirectory(prefix="rook-tally-shots-") as profile:
        done = subprocess.run(
            [
                program,
                "--headless=new",
                "--no-sandbox",
                "--disable-gpu",
                "--hide-scrollbars",
                f"--user-data-dir={profile}",
                f"--window-size={size[0]},{size[1]}",
                f"--screenshot={path}",
                address,
            ],
            capture_output=True,
            text=True,
            timeout=_WITHIN_S,
            check=False,
        )
    if done.returncode or not path.exists():
        raise RookTallyError(f"chromium took no picture of the page: {done.stderr[-300:]}")
    typer.echo(str(path))
