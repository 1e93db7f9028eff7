"""Every operation of the API, called as its own schema describes it, with numbers of every size: no server error.

schemathesis makes the calls (Hatfield-Dodds & Dygalo 2022, *Deriving Semantics-Aware Fuzzers from Web API Schemas*).
"""

import json
import os

import pytest
import schemathesis
from api.root import api
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.timeout(600)]
EACH = int(os.environ.get("HUSH_CALLS", "5"))  # calls of an operation; the bench makes 50
LEFT_OUT = {"/api/session/end", "/api/session"}  # signing out would end the walk
HUGE = [10**30, -(10**30), 2**63, 1e308, -1e308]


def operations():
    schema = schemathesis.openapi.from_dict(api.get_openapi_schema())
    return [found.ok() for found in schema.get_all_operations() if found.ok().path not in LEFT_OUT]


@pytest.fixture
def known(whole, shot, web):
    """Ids that exist: a fix with a plate and a stroke on it, its shot, job and hold."""
    web.raise_request_exception = False
    fix = whole.fix
    return {
        "fix": fix["id"], "shot": shot.id, "job": shot.job_id, "hold": fix["hold"]["id"], "plate": fix["plate"]["id"],
        "stroke": fix["strokes"][0]["id"], "frame": 1005,
    }  # fmt: skip


def called(web, method: str, path: str, query, body):
    data = json.dumps(body) if body is not None else ""
    if query:
        from django.http import QueryDict

        asked = QueryDict(mutable=True)
        for name, value in query.items():
            asked[name] = str(value)
        path = f"{path}?{asked.urlencode()}"
    return web.generic(method, path, data, content_type="application/json")


def walk(web, known, operation, failed: list) -> None:
    """An operation's calls; those that answer with a server error are added to ``failed``."""

    @settings(
        max_examples=EACH, deadline=None, derandomize=True, database=None, suppress_health_check=list(HealthCheck)
    )
    @given(case=operation.as_strategy(), newest=st.booleans())
    def each(case, newest):
        path = operation.path
        for name, value in {**(case.path_parameters or {}), **known}.items():
            path = path.replace("{" + name + "}", str(value))
        body = case.body if isinstance(case.body, dict) else None
        if body is not None and "version" in body and newest:
            body = {**body, "version": web.get(f"/api/fixes/{known['fix']}").json().get("version", 1)}
        if operation.method == "delete" and path.startswith("/api/fixes"):
            return  # the rest of the walk needs it
        answer = called(web, operation.method.upper(), path, case.query, body)
        if answer.status_code >= 500:
            failed.append((operation.method, path, dict(case.query or {}), body, answer.status_code))

    each()


def is_upload(operation) -> bool:
    return any("multipart" in kind for kind in (operation.definition.raw.get("requestBody") or {}).get("content", {}))


def test_no_operation_answers_with_a_server_error(web, known):
    failed: list = []
    for operation in operations():
        if not is_upload(operation):
            walk(web, known, operation, failed)
    assert not failed, "\n".join(str(one)[:400] for one in failed[:20])


@pytest.mark.parametrize("number", HUGE)
def test_numbers_beyond_all_bounds_are_refused(web, known, whole, number):
    """The calls that answered 500: a colour, a donor, spots, and a rate that is no number."""
    fix, answers = known["fix"], []
    for path in ("colour", "donor"):
        for which in ("x", "y", "dx", "dy", "radius"):
            asked = {"x": 100, "y": 100, "dx": 5, "dy": 5, "radius": 10, which: number}
            answers.append(called(web, "GET", f"/api/fixes/{fix}/{path}", asked, None))
    for spot in ([number, 100], [100, number]):
        body = {"version": whole.fix["version"], "spots": [spot], "radius": 5}
        answers.append(called(web, "POST", f"/api/fixes/{fix}/spots", None, body))
    cut = {"name": "a", "source": "wall", "first": 1001, "last": 1005, "rate": "soon", "place": "wall", "problem": ""}
    for rate in ("soon", "1/0", "nan", str(number)):
        body = {"cuts": [{**cut, "rate": rate, "cut_in": 1001, "cut_out": 1005}], "handles": 0}
        answers.append(called(web, "POST", f"/api/jobs/{known['job']}/conform", None, body))
    assert all(answer.status_code < 500 for answer in answers)
    assert all(answer.json()["title"] for answer in answers if answer.status_code >= 400)
