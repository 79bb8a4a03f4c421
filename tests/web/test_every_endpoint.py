"""Every endpoint of the OpenAPI document with whatever its schema lets through, and some that it does not: no answer is a fall.

A short run; the long one (`schemathesis run http://127.0.0.1:PORT/api/openapi.json -n 700`) is told of in benchmarks/trust.md.
"""

from __future__ import annotations

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error

from handlens.web.app import create_app

schema = schemathesis.openapi.from_wsgi("/api/openapi.json", create_app(), headers={"Host": "127.0.0.1"})


@pytest.mark.usefixtures("database")
@schema.parametrize()
@settings(max_examples=15, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_no_answer_is_a_fall(case):
    case.call_and_validate(headers={"Host": "127.0.0.1"}, checks=[not_a_server_error])
