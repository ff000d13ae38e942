"""The polling door: a GET of a station's own address, again and again."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import aiohttp

from rook_tally.core.errors import DoorError
from rook_tally.intake.message import Answer, Form, Message
from rook_tally.intake.outlet import DoorReport, Reception
from rook_tally.intake.pacing import offered
from rook_tally.intake.reading_door import ReadingDoor
from rook_tally.store import DoorState, PollSetting

LARGEST_ANSWER = 1024 * 1024
_PATIENCE = aiohttp.ClientTimeout(total=20.0, connect=5.0)
_FORMS = {form.value: form for form in Form}


class PollDoor(ReadingDoor):
    """Asks one address at its cadence, for as long as it is open."""

    def __init__(
        self, settings: PollSetting, *, reception: Reception, report: DoorReport,
        clock: Callable[[], int],
    ) -> None:  # fmt: skip
        super().__init__(report, clock)
        self._settings = settings
        self._reception = reception

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()
        async with aiohttp.ClientSession(timeout=_PATIENCE) as session:
            due = loop.time()
            while True:
                try:
                    message = await polled(session, self._settings, self._clock)
                except DoorError as error:
                    self._report(DoorState.TRYING, error.what)
                else:
                    self._tell(await offered(self._reception, message))
                # In step with the clock, however long the answer took; what was missed is missed.
                due = max(due + self._settings.every_s, loop.time())
                await asyncio.sleep(due - loop.time())

    def _tell(self, answer: Answer) -> None:
        told = [one.why for one in (*answer.refused, *answer.strays)]
        why = answer.why or (told[0] if told else "")
        self._report(DoorState.OPEN, why)


async def polled(
    session: aiohttp.ClientSession, settings: PollSetting, clock: Callable[[], int]
) -> Message:
    """What the address answers now.

    Raises
    ------
    DoorError
        When it cannot be reached, answers with an error, or with too much; it says which.
    """
    url = settings.url
    try:
        async with session.get(url) as answer:
            if answer.status != 200:
                raise DoorError(
                    f"{url} answers {answer.status} {answer.reason}", remedy="check the address"
                )
            body = await answer.content.read(LARGEST_ANSWER + 1)
            # Read until the end or the limit: one read may bring less.
            while len(body) <= LARGEST_ANSWER and (more := await answer.content.read(65_536)):
                body += more
            form = _FORMS.get(answer.content_type)
    except TimeoutError:
        raise DoorError(f"{url} does not answer", remedy="is it switched on?") from None
    except (aiohttp.ClientError, ValueError, OSError) as error:
        why = str(error) or type(error).__name__
        raise DoorError(f"{url} cannot be reached: {why}", remedy="check the address") from None
    if len(body) > LARGEST_ANSWER:
        raise DoorError(f"{url} answers more than 1 MiB", remedy="ask for less")
    return Message("poll", url, body, clock(), form, station=settings.station)
