"""The least that tells fifty open pages of a value: aiohttp, and the same pane written to each."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

SERVER = """
import asyncio, itertools, json, sys
from aiohttp import web

pause_s, pages, text = float(sys.argv[1]), set(), "<span>" * 40

async def live(request):
    page = web.StreamResponse(headers={"Content-Type": "text/event-stream"})
    await page.prepare(request)
    pages.add(page)
    await asyncio.Event().wait()

async def main():
    app = web.Application()
    app.router.add_get("/live/{sheet}", live)
    runner = web.AppRunner(app, access_log=None)
    await runner.setup()
    site = web.TCPSite(runner, "127.0.0.1", 0)
    await site.start()
    print(site._server.sockets[0].getsockname()[1], flush=True)
    for number in itertools.count():
        await asyncio.sleep(pause_s)
        pane = f'<span class="figure">{number / 10}</span>{text}'
        told = b"data: " + json.dumps({"p6": pane}).encode() + b"\\n\\n"
        for page in list(pages):
            try:
                await page.write(told)
            except ConnectionResetError:
                pages.discard(page)

asyncio.run(main())
"""


class BarePages(NamedTuple):
    """A server of pages: where it answers, and its process."""

    address: str
    pid: int


@contextmanager
def bare_pages(a_second: float) -> Iterator[BarePages]:
    """A server that tells every page of so many values a second."""
    with subprocess.Popen(
        [sys.executable, "-c", SERVER, str(1 / a_second)], stdout=subprocess.PIPE, text=True
    ) as server:
        assert server.stdout is not None
        yield BarePages(f"http://127.0.0.1:{int(server.stdout.readline())}", server.pid)
        server.terminate()
