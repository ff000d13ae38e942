"""Sounds and spoken words, by the players that a Linux desktop has."""

from __future__ import annotations

import asyncio
import contextlib
import shutil
import tempfile
import wave
from pathlib import Path

import numpy as np

from rook_tally.core.alarms.channels import Channel, Notice, NoticeReason
from rook_tally.core.quantities.levels import Level
from rook_tally.notify.notifier import ActionError

_PLAYERS = ("pw-play", "paplay", "aplay")
_SPEAKER = "spd-say"
_RATE = 44_100
_PATIENCE_S = 30.0
_TONES_HZ = (660.0, 880.0)


class Sound:
    """Plays as many strokes as the level has; what is over falls instead of rising."""

    def __init__(self) -> None:
        self._folder: tempfile.TemporaryDirectory[str] | None = None

    async def tell(self, way: Channel, notice: Notice) -> str:
        """Play a sound."""
        player = next((found for one in _PLAYERS if (found := shutil.which(one))), None)
        if player is None:
            raise ActionError(
                "no program here plays sound", remedy=f"install one of {', '.join(_PLAYERS)}"
            )
        if self._folder is None:
            self._folder = tempfile.TemporaryDirectory(prefix="rook-tally-")
        path = Path(self._folder.name) / f"{notice.level.name}-{notice.event.name}.wav"
        if not path.exists():
            write_sound(path, notice.level, is_over=notice.event is NoticeReason.CLEARED)
        await run_to_end(player, str(path))
        return "sounded"

    async def close(self) -> None:
        """Take the sounds away."""
        if self._folder is not None:
            self._folder.cleanup()


class Voice:
    """Speaks a notice by speech-dispatcher."""

    async def tell(self, way: Channel, notice: Notice) -> str:
        """Say it."""
        speaker = shutil.which(_SPEAKER)
        if speaker is None:
            raise ActionError(
                "no program here speaks", remedy="install speech-dispatcher, which brings spd-say"
            )
        await run_to_end(speaker, "--wait", "--", f"{notice.title}. {notice.text}")
        return "spoken"

    async def close(self) -> None:
        """Nothing is held open."""


async def run_to_end(*command: str) -> None:
    """Run a program to its end; ActionError when it fails or takes too long."""
    process = await asyncio.create_subprocess_exec(
        *command,
        stdin=asyncio.subprocess.DEVNULL,
        stdout=asyncio.subprocess.DEVNULL,
        stderr=asyncio.subprocess.PIPE,
    )
    try:
        async with asyncio.timeout(_PATIENCE_S):
            _, said = await process.communicate()
    except TimeoutError as error:
        raise ActionError(f"{command[0]} did not end in {_PATIENCE_S:g} s") from error
    finally:
        if process.returncode is None:
            with contextlib.suppress(ProcessLookupError):
                process.kill()
            await process.wait()
    if process.returncode:
        why = said.decode(errors="replace").strip().splitlines()
        raise ActionError(f"{command[0]} failed: {why[-1] if why else process.returncode}")


def write_sound(path: Path, level: Level, *, is_over: bool) -> None:
    """A short sound as a WAV file: two tones for each stroke of a level, or two falling ones."""
    tones = _TONES_HZ[::-1] if is_over else _TONES_HZ * max(1, int(level))
    parts = []
    for hertz in tones:
        t = np.arange(round(0.16 * _RATE)) / _RATE
        # Begun and ended softly, or it clicks.
        shape = np.minimum(1.0, np.minimum(t, t[-1] - t) / 0.02)
        parts.append(0.4 * shape * np.sin(2 * np.pi * hertz * t))
        parts.append(np.zeros(round(0.05 * _RATE)))
    samples = (np.concatenate(parts) * 32767).astype("<i2")
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(_RATE)
        file.writeframes(samples.tobytes())
