"""One collector for tests that only ask and keep little."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.processes import CollectorProcess


@pytest.fixture(scope="module")
def shared_collector(tmp_path_factory: pytest.TempPathFactory) -> Iterator[CollectorProcess]:
    path = tmp_path_factory.mktemp("shared") / "site.db"
    with CollectorProcess(path) as process:
        process.add_station("a")
        yield process
