"""The OpenAPI document is true: a schema-driven tester finds no answer it does not describe."""

from __future__ import annotations

from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from schemathesis.specs.openapi.checks import negative_data_rejection, positive_data_acceptance

from tests.examples import examples
from tests.processes import CollectorProcess

# Whether a value can be kept depends on the station it comes from, not on the schema alone.
_NOT_OURS = [positive_data_acceptance, negative_data_rejection]


@pytest.mark.parametrize(
    "path", ["/v1/readings", "/v1/health", "/v1/latest", "/v1/series", "/v1/alarms"]
)
def test_every_answer_is_as_described(shared_collector: CollectorProcess, path: str) -> None:
    document = schemathesis.openapi.from_url(f"{shared_collector.http}/v1/openapi.json")
    found: list[Any] = list(document.get_all_operations())
    operations = [one.ok() for one in found]
    for operation in (one for one in operations if one.path == path):

        @settings(max_examples=examples(40), suppress_health_check=list(HealthCheck))
        @given(case=operation.as_strategy())
        def answers_as_described(case: Any) -> None:
            case.call_and_validate(excluded_checks=_NOT_OURS)

        answers_as_described()
