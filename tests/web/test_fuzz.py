"""The API's own OpenAPI document, turned against it: whatever is sent, no request is answered with a fault."""

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def api_document(application):
    return schemathesis.openapi.from_url(f"{application.url}/openapi.json")


schema = schemathesis.pytest.from_fixture("api_document")


@schema.parametrize()
@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_request_is_answered_with_a_fault(case):
    case.call_and_validate(checks=[not_a_server_error])
