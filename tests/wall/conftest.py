"""The studio, for tests of what stands on a sheet."""

from __future__ import annotations

import pytest

from rook_tally.store.base import Store
from tests.wall.studio import Studio


@pytest.fixture
def studio(store: Store) -> Studio:
    made = Studio(store)
    made.told_everything()
    return made
