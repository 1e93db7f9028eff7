"""Every address of the API and every picture, as each role, as a stranger to the job and as nobody.

OWASP ASVS 4: V4.1.1 to V4.1.5 (checked on the server, denied by default), V4.2.1 (no object by a guessed number), V13.1.4.
"""

import json
import re
import uuid

import pytest
from api import access
from api.events import Mine
from api.root import api
from asgiref.sync import async_to_sync
from django.contrib.auth.models import User
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver
from jobs.models import Member

from tests.server.through import THROUGH

pytestmark = pytest.mark.django_db(transaction=True)
ROLES = ("house", "supervisor", "artist", "reviewer", "stranger", "nobody")
PASSWORD = "a long enough word"
# what a reviewer may do: written out here, so that a slip in the table shows
REVIEWER_MAY = {
    "GET api/shots/{shot}", "GET api/jobs/{job}/cards", "GET api/jobs/{job}/members", "GET api/shots/{shot}/review",
    "GET api/shots/{shot}/notes", "POST api/shots/{shot}/notes", "POST api/notes/{note}/answers", "DELETE api/notes/{note}",
    "PATCH api/notes/{note}", "POST api/versions/{version}/verdict", "GET pictures/shots/{shot}/frames/1004.jpg",
    "GET pictures/shots/{shot}/patched/1004.jpg", "GET pictures/versions/{version}/1004.jpg",
    "GET api/shots/{shot}/report", "GET api/shots/{shot}/report/{name}", "POST api/shots/{shot}/report",
}  # fmt: skip
ANYBODY = {"GET api/session", "POST api/session", "POST api/session/demo", "GET health", "GET metrics"}
SIGNED_IN = {
    "DELETE api/session", "POST api/session/done", "POST api/session/password", "GET api/session/others",
    "DELETE api/session/others", "GET api/jobs", "GET api/events", "GET api/deliveries/forms", "GET api/storage/disks",
    "GET api/openapi.json", "GET api/reviews",
}  # fmt: skip
ONLY_SUPERVISORS = {
    "PATCH api/jobs/{job}", "DELETE api/jobs/{job}", "DELETE api/shots/{shot}", "PUT api/jobs/{job}/members/{person}",
    "GET api/jobs/{job}/people", "GET api/jobs/{job}/log", "GET api/jobs/{job}/edit", "DELETE api/deliveries/{delivery}",
    "PATCH api/deliveries/{delivery}/priority",
}  # fmt: skip
ONLY_THE_HOUSE = {
    "GET api/people", "POST api/people", "PATCH api/people/{person}", "DELETE api/people/{person}/sessions", "GET api/log",
}  # fmt: skip
OF_NO_JOB = {
    "POST api/jobs", "GET api/footage", "GET api/footage/examine", "GET api/colour", "POST api/edits", "POST api/uploads",
    "HEAD api/uploads/{key}", "PATCH api/uploads/{key}", "DELETE api/uploads/{key}", "GET api/deliveries", "GET api/queue",
    "GET api/storage",
}  # fmt: skip


@pytest.fixture
def known(whole, shot):
    """Ids of everything that a path can name, all of one job."""
    from deliveries.models import Delivery, Preset
    from reviews.models import Note, Version

    fix = whole.fix
    version = Version.objects.create(shot=shot, number=1, name="One", entries=[])
    return {
        "job": shot.job_id, "shot": shot.id, "fix": fix["id"], "hold": fix["hold"]["id"], "plate": fix["plate"]["id"],
        "stroke": fix["strokes"][0]["id"], "frame": 1004, "form": "csv", "key": uuid.uuid4(), "what": "checks",
        "suffix": "jpg", "person": User.objects.get(username="ada").id, "version": version.id,
        "note": Note.objects.create(shot=shot, frame=1004, words="Here").id,
        "delivery": Delivery.objects.create(shot=shot, folder="x", first=1001, last=1002, recipe=[]).id,
        "preset": Preset.objects.create(job=shot.job, name="One", pieces=[]).id, "name": "report.pdf",
    }  # fmt: skip


@pytest.fixture
def people(known, shot):
    """A browser for each role."""
    from jobs.models import Job, Member

    access._known.cache_clear()
    other = Job.objects.create(name="Another job")
    browsers = {}
    for role in ROLES:
        browsers[role] = Client()
        if role == "nobody":
            continue
        person = User.objects.create_user(role, password=PASSWORD, is_staff=role == "house")
        if role in ("supervisor", "artist", "reviewer"):
            Member.objects.create(job=shot.job, person=person, role=role)
        if role == "stranger":
            Member.objects.create(job=other, person=person, role="supervisor")
        browsers[role].force_login(person)
    return browsers


def routes(patterns=None, before=""):
    """Every address that there is, as Django resolves it."""
    for one in patterns or get_resolver().url_patterns:
        if isinstance(one, URLResolver):
            yield from routes(one.url_patterns, before + str(one.pattern))
        elif isinstance(one, URLPattern):
            yield before + str(one.pattern)


def methods() -> dict[str, list[str]]:
    """The methods of each address of the API, from its own schema."""
    found = {}
    for path, ways in api.get_openapi_schema()["paths"].items():
        found["api" + path.removeprefix("/api").replace("{", "<").replace("}", ">")] = [way.upper() for way in ways]
    return found


def test_the_table_names_every_address_and_no_other():
    known = {address.split(" ", 1)[1] for address in access.RIGHTS}
    there = {route for route in routes() if not route.startswith("^")} - {"api/"}
    assert there - known == set()
    assert known - there == set()
    wanted = {f"{way} {path}" for path, ways in methods().items() for way in ways}
    assert {address for address in wanted if address not in access.RIGHTS} == set()
    assert len(access.RIGHTS) == sum(map(len, access.TABLE.values()))  # none stands in two rows


def may(role: str, address: str) -> bool:
    """What is expected, by the lists above and by what roles are for."""
    if address in ANYBODY:
        return True
    if role == "nobody":
        return False
    if address in SIGNED_IN or role == "house":
        return True
    if address in ONLY_THE_HOUSE:
        return False
    if address in OF_NO_JOB:
        return role != "reviewer"
    if role == "stranger":
        return False
    if address.endswith("/verdict"):
        return role != "artist"
    if address in ONLY_SUPERVISORS:
        return role == "supervisor"
    return role in ("artist", "supervisor") or address in REVIEWER_MAY


def test_every_address_as_every_role(people, known, settings):
    at = settings.MIDDLEWARE.index("api.access.AccessMiddleware") + 1
    settings.MIDDLEWARE = [*settings.MIDDLEWARE[:at], "tests.server.through.Through", *settings.MIDDLEWARE[at:]]
    wrong = []
    for address in access.RIGHTS:
        method, route = address.split(" ", 1)
        plain = re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", route)
        path = re.sub(r"\{(\w+)\}", lambda found: str(known[found[1]]), plain)
        shown = f"{method} {plain.replace('{frame}.{suffix}', '1004.jpg').replace('/{frame}.', '/1004.')}"
        for role, browser in people.items():
            answer = browser.generic(method, "/" + path)
            through = answer.status_code == THROUGH
            if through != may(role, shown):
                wrong.append(f"{role} {shown}: {answer.status_code}")
            elif not through:
                hidden = 401 if role == "nobody" else 404 if role == "stranger" else 403
                if answer.status_code != hidden and shown not in ONLY_THE_HOUSE | OF_NO_JOB:
                    wrong.append(f"{role} {shown} is refused with {answer.status_code}, not {hidden}")
    assert wrong == []


def test_a_stranger_s_lists_are_empty_and_a_guess_tells_nothing(people, known):
    stranger = people["stranger"]
    assert [job["name"] for job in stranger.get("/api/jobs").json()] == ["Another job"]
    assert stranger.get("/api/deliveries").json() == []
    assert stranger.get("/api/storage").json()["shots"] == []
    assert stranger.get("/api/queue").json()["rows"] == []
    assert stranger.get("/api/reviews").json() == []
    there, nowhere = (stranger.get(f"/api/shots/{number}") for number in (known["shot"], 10**9))
    assert (there.status_code, there.content) == (nowhere.status_code, nowhere.content)
    assert stranger.get(f"/api/shots/{10**30}").status_code == 404


def test_live_updates_are_those_of_one_s_own_jobs_and_end_with_the_session(people, known, shot):
    """ASVS 4 V4.1.3 (least privilege), V3.3.1 (an ended session tells nothing more)."""
    of_shot, of_job = json.dumps({"kind": "fix", "shot": shot.id}), json.dumps({"kind": "members", "job": shot.job_id})
    for role, hears in (("artist", True), ("reviewer", True), ("stranger", False)):
        mine = Mine(User.objects.get(username=role), people[role].session.session_key)
        for payload in (of_shot, of_job):
            assert async_to_sync(mine.has)(payload) is hears
        assert async_to_sync(mine.has)(json.dumps({"kind": "again"}))
        assert async_to_sync(mine.signed_in)()
        if role == "artist":  # the one who leaves a job hears of it, and nothing after it
            Member.objects.filter(job=shot.job, person__username=role).delete()
            assert async_to_sync(mine.has)(of_job)
            assert not async_to_sync(mine.has)(of_shot)
        if role == "reviewer":
            User.objects.filter(username=role).update(is_active=False)
            assert not async_to_sync(mine.signed_in)()
        people[role].logout()
        assert not async_to_sync(mine.signed_in)()


def test_a_reviewer_is_told_what_to_do(people, known):
    answer = people["reviewer"].patch(f"/api/fixes/{known['fix']}/on", {"version": 1, "on": False}, "application/json")
    assert answer.status_code == 403
    assert "ask a supervisor to make you an artist" in answer.json()["title"]


def test_roles_are_given_and_the_last_supervisor_stays(people, known):
    at, boss = f"/api/jobs/{known['job']}/members", people["supervisor"]
    reviewer = User.objects.get(username="reviewer")
    made = boss.put(f"{at}/{reviewer.id}", {"role": "artist"}, "application/json")
    assert {row["name"]: row["role"] for row in made.json()}["reviewer"] == "artist"
    assert people["reviewer"].get(f"/api/fixes/{known['fix']}").status_code == 200
    mine = User.objects.get(username="supervisor")
    kept = boss.put(f"{at}/{mine.id}", {"role": "artist"}, "application/json")
    assert kept.json()["kind"] == "last-one"
    boss.put(f"{at}/{reviewer.id}", {"role": None}, "application/json")
    assert people["reviewer"].get(f"/api/fixes/{known['fix']}").status_code == 404
    assert boss.put(f"{at}/{reviewer.id}", {"role": "king"}, "application/json").json()["kind"] == "bad-role"


def test_people_are_added_with_a_password_that_holds(people):
    house = people["house"]
    for password, words in (
        ("short", "at least 10"),
        ("1234567890", "entirely numeric"),
        ("password123", "too common"),
    ):
        answer = house.post("/api/people", {"name": "new", "password": password}, "application/json")
        assert answer.json()["kind"] == "weak-password"
        assert words in answer.json()["title"]
    body = {"name": "new", "full_name": "Juno Vale", "password": "linen and clay"}
    made = house.post("/api/people", body, "application/json")
    assert made.status_code == 201
    assert house.post("/api/people", body, "application/json").json()["kind"] == "exists"
    browser = Client()
    assert (
        browser.post("/api/session", {"name": "new", "password": "linen and clay"}, "application/json").json()["name"]
        == "Juno Vale"
    )
    other = Client()
    other.post("/api/session", {"name": "new", "password": "linen and clay"}, "application/json")
    assert browser.get("/api/session/others").json() == {"others": 1}
    assert browser.delete("/api/session/others").json() == {"others": 0}
    assert other.get("/api/jobs").status_code == 401
    bad = browser.post("/api/session/password", {"old": "wrong", "new": "glaze and kiln"}, "application/json")
    assert bad.json()["kind"] == "bad-sign-in"
    assert (
        browser.post(
            "/api/session/password", {"old": "linen and clay", "new": "glaze and kiln"}, "application/json"
        ).status_code
        == 200
    )
    assert browser.get("/api/jobs").status_code == 200
    ended = house.patch(f"/api/people/{made.json()['id']}", {"active": False}, "application/json")
    assert ended.json()["active"] is False
    assert browser.get("/api/jobs").status_code == 401


def test_somebody_is_left_who_runs_the_house(people):
    house = people["house"]
    User.objects.filter(username="ada").update(is_staff=False)
    me = User.objects.get(username="house")
    for change in ({"house": False}, {"active": False}):
        assert house.patch(f"/api/people/{me.id}", change, "application/json").json()["kind"] == "last-one"
    assert User.objects.get(username="house").is_staff


def test_a_hundred_wrong_passwords(people):
    browser, seen = Client(), []
    for k in range(100):
        answer = browser.post("/api/session", {"name": "artist", "password": f"guess {k}"}, "application/json")
        seen.append(answer.status_code)
    assert seen[:8] == [400] * 8
    assert set(seen[10:]) == {429}
    right = browser.post("/api/session", {"name": "artist", "password": PASSWORD}, "application/json")
    assert right.status_code == 429
    assert "Wait 15 minutes" in right.json()["title"]
    elsewhere = Client(REMOTE_ADDR="192.0.2.9")  # the artist at another desk is not locked out by it
    assert (
        elsewhere.post("/api/session", {"name": "artist", "password": PASSWORD}, "application/json").status_code == 200
    )


def test_the_log_only_grows(people, known):
    from accounts.models import LogEntry
    from django.db import DatabaseError, transaction

    fix = people["artist"].get(f"/api/fixes/{known['fix']}").json()
    people["artist"].patch(
        f"/api/fixes/{known['fix']}/name", {"version": fix["version"], "name": "Crest"}, "application/json"
    )
    lines = people["supervisor"].get(f"/api/jobs/{known['job']}/log").json()
    assert (lines[0]["who"], lines[0]["what"], lines[0]["about"]) == ("artist", "changed a fix", "Crest: Rename")
    for do in (lambda: LogEntry.objects.all().delete(), lambda: LogEntry.objects.update(who="nobody")):
        with pytest.raises(DatabaseError, match="the log only grows"), transaction.atomic():
            do()
    assert LogEntry.objects.filter(who="artist").exists()


def test_pages_allow_no_script_but_ours(people):
    answer = people["artist"].get("/")
    policy = answer.headers["Content-Security-Policy"]
    assert "script-src 'self';" in policy + ";"
    assert "frame-ancestors 'none'" in policy
    assert answer.headers["X-Frame-Options"] == "DENY"


def test_no_answer_names_a_place_on_the_server(people, known, storage):
    for path in (
        "/api/jobs",
        "/api/deliveries",
        "/api/storage",
        f"/api/shots/{known['shot']}",
        "/api/footage",
        "/api/queue",
    ):
        answer = people["artist"].get(path)
        assert answer.status_code == 200, path
        assert str(storage) not in answer.content.decode()
        assert "/home" not in answer.content.decode()


def test_health_and_figures(people, settings):
    answer = people["nobody"].get("/health")
    assert answer.status_code == 503  # no worker runs in this test
    assert answer.json()["queue"] == "no worker is running"
    assert answer.json()["database"] == "ok"
    assert people["nobody"].get("/metrics").status_code == 403
    assert people["supervisor"].get("/metrics").status_code == 403
    settings.METRICS_TOKEN = "for the monitor"
    assert people["nobody"].get("/metrics", HTTP_AUTHORIZATION="Bearer wrong").status_code == 403
    text = people["nobody"].get("/metrics", HTTP_AUTHORIZATION="Bearer for the monitor").content.decode()
    assert 'hush_disk_free_bytes{disk="Footage"} ' in text
    assert text.endswith("# EOF\n")
