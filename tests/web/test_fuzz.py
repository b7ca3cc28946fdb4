"""The API's own OpenAPI document, turned against it: whatever is sent, no request is answered with a fault."""

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error

pytestmark = [pytest.mark.slow, pytest.mark.long]


def test_no_request_is_answered_with_a_fault(application):
    document = schemathesis.openapi.from_url(f"{application.url}/openapi.json")
    operations = [found.ok() for found in document.get_all_operations()]
    assert len(operations) > 15
    for operation in operations:

        @given(case=operation.as_strategy())
        @settings(max_examples=200, deadline=None, database=None, suppress_health_check=list(HealthCheck))
        def ask(case):
            case.call_and_validate(checks=[not_a_server_error])

        ask()
