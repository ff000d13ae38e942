"""CoAP by commands alone: the door, and a station that speaks with what its sheet says."""

from __future__ import annotations

import asyncio
import json
import re
from pathlib import Path

import aiocoap
from aiocoap import oscore

from tests.collector.test_http_reach import door_states
from tests.intake.test_coap import free_udp_port
from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until

_SHEET = re.compile(
    r"CoAP +(?P<url>\S+), OSCORE, sender ID (?P<id>[0-9a-f]+) \(hex\), recipient ID empty, "
    r"master secret (?P<secret>[0-9a-f]{32}) \(hex\)"
)


async def _sent(url: str, secret: str, sender_id: str, folder: Path) -> tuple[str, str]:
    """A protected message from a station that knows what its sheet says, and nothing else."""
    folder.mkdir(exist_ok=True)
    told = {"secret_hex": secret, "sender-id_hex": sender_id, "recipient-id_hex": ""}
    (folder / "secret.json").write_text(json.dumps(told))
    context = oscore.FilesystemSecurityContext(str(folder))
    client = await aiocoap.Context.create_client_context(transports=["oscore", "udp6"])
    client.client_credentials[f"{url.removesuffix('/v1/readings')}/*"] = context
    message = aiocoap.Message(
        code=aiocoap.POST, uri=url, payload=b'{"temperature": 19.5}', content_format=50
    )
    try:
        answer = await asyncio.wait_for(client.request(message).response, PATIENCE_S)
        return answer.code.dotted, answer.payload.decode()
    finally:
        await client.shutdown()
        context._destroy()


def test_a_station_speaks_coap_with_what_its_sheet_says(store_path: Path, tmp_path: Path) -> None:
    where = f"127.0.0.1:{free_udp_port()}"

    def run(*words: str) -> str:
        done = rook_tally("--store", str(store_path), *words)
        assert done.returncode == 0, done.stderr
        return done.stdout

    kept = []
    for begun in range(2):
        # The second collector goes on counting where the first was.
        with CollectorProcess(store_path, broker="off") as collector:
            if not begun:
                key = collector.add_station("shed", place="Shed")
                assert f"coap --listen {where}" in run("door", "add", "coap", "--listen", where)
            wait_until(lambda: door_states(collector).get("coap") == ("open", ""))
            assert "its access key gives its secret" in run("station", "sheet", "shed")
            told = _SHEET.search(run("station", "sheet", "shed", "--key", key))
            assert told is not None
            assert told["url"] == f"coap://{where}/v1/readings"
            code, answer = asyncio.run(
                _sent(told["url"], told["secret"], told["id"], tmp_path / "ours")
            )
            assert code == "2.04", answer
            kept.append(json.loads(answer)["kept"])
            assert "1 kept" in run("tape", "shed")
    assert kept == [1, 1]
    assert rook_tally("--store", str(store_path), "door", "add", "coap", "--listen", "x").returncode
