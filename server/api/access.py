"""Who may do what: one table over every address of the API and every picture, and the one place that checks it.

An address that is not in the table is not there for anybody. To a stranger to a job everything of it is not there, so that a
guessed number tells nothing; a member without the right is told so. OWASP ASVS 4: V4.1.1, V4.1.3 (deny by default), V4.2.1.
"""

from collections.abc import Callable
from functools import lru_cache
from typing import Any

from deliveries.models import Delivery, Preset
from django.http import HttpRequest, HttpResponse
from fixes.models import Fix
from holds.models import Hold
from jobs import members
from jobs.models import Job, Shot
from reviews.models import Note, Version

from api.errors import problem
from hushcore.errors import HushError

OPEN, IN, BRING, HOUSE = "open", "in", "bring", "house"
LOOK, JUDGE, WORK, RUN = "look", "judge", "work", "run"
WEB = ("", "(?P<rest>")  # the one page of the screens: it shows nothing by itself

# right -> the addresses that need it; what is bound to a job names a thing of it in its path
TABLE: dict[str, tuple[str, ...]] = {
    # anybody
    OPEN: (
        "GET api/session", "POST api/session", "POST api/session/demo", "GET health",
        "GET metrics",  # asks for a token by itself
    ),
    # who is signed in; lists hold only what they may see
    IN: (
        "DELETE api/session", "POST api/session/done", "POST api/session/password", "GET api/session/others",
        "DELETE api/session/others", "GET api/jobs", "GET api/events", "GET api/deliveries/forms", "GET api/storage/disks",
        "GET api/openapi.json", "GET api/reviews",
    ),
    # an artist or a supervisor of any job: the footage storage, edits, jobs of their own
    BRING: (
        "POST api/jobs", "GET api/footage", "GET api/footage/examine", "GET api/colour", "POST api/edits",
        "POST api/uploads", "HEAD api/uploads/<uuid:key>", "PATCH api/uploads/<uuid:key>", "DELETE api/uploads/<uuid:key>",
        "GET api/deliveries", "GET api/queue", "GET api/storage",
    ),
    # who runs the house
    HOUSE: (
        "GET api/people", "POST api/people", "PATCH api/people/<person>", "DELETE api/people/<person>/sessions", "GET api/log",
    ),
    # anybody in the job
    LOOK: (
        "GET api/shots/<shot>", "GET api/jobs/<job>/cards", "GET api/jobs/<job>/members",
        "GET pictures/shots/<int:shot>/frames/<int:frame>.<str:suffix>",
        "GET pictures/shots/<int:shot>/patched/<int:frame>.<str:suffix>",
        "GET pictures/versions/<int:version>/<int:frame>.jpg",
        "GET api/shots/<shot>/report", "POST api/shots/<shot>/report", "GET api/shots/<shot>/report/<name>",
        "GET api/shots/<shot>/review", "GET api/shots/<shot>/notes", "POST api/shots/<shot>/notes",
        "POST api/notes/<note>/answers", "DELETE api/notes/<note>", "PATCH api/notes/<note>",
    ),
    JUDGE: ("POST api/versions/<version>/verdict",),
    # an artist or a supervisor of the job
    WORK: (
        "PATCH api/shots/<shot>", "POST api/shots/<shot>/undo", "POST api/shots/<shot>/redo", "POST api/jobs/<job>/shots",
        "POST api/shots/<shot>/look/file", "GET api/shots/<shot>/values", "GET api/shots/<shot>/proxies",
        "POST api/shots/<shot>/proxies", "DELETE api/shots/<shot>/proxies", "POST api/jobs/<job>/conform",
        "GET api/jobs/<job>/storage", "GET api/shots/<shot>/patched/values", "GET api/shots/<shot>/fixes",
        "PUT api/shots/<shot>/order", "GET api/fixes/<fix>", "DELETE api/fixes/<fix>", "POST api/shots/<shot>/circle",
        "PATCH api/fixes/<fix>/name", "PATCH api/fixes/<fix>/on", "PATCH api/fixes/<fix>/off", "POST api/fixes/<fix>/undo",
        "POST api/fixes/<fix>/redo", "POST api/fixes/<fix>/track", "POST api/fixes/<fix>/onward", "POST api/fixes/<fix>/keys",
        "POST api/fixes/<fix>/keys/delete", "POST api/fixes/<fix>/redo-range", "POST api/fixes/<fix>/smooth",
        "POST api/fixes/<fix>/throw-away", "POST api/fixes/<fix>/second-pass", "POST api/fixes/<fix>/import-track",
        "POST api/holds/<hold>/stop", "POST api/holds/<hold>/go-on", "GET api/holds/<hold>", "GET api/holds/<hold>/maps/<frame>",
        "GET api/holds/<hold>/maps", "GET api/holds/<hold>/tracks/<form>", "PATCH api/fixes/<fix>/edge",
        "GET api/fixes/<fix>/edge-lines", "PATCH api/fixes/<fix>/source", "PATCH api/fixes/<fix>/front",
        "PATCH api/fixes/<fix>/match", "GET api/fixes/<fix>/evidence", "GET api/fixes/<fix>/tells", "PATCH api/fixes/<fix>/art",
        "POST api/fixes/<fix>/art", "GET api/fixes/<fix>/suggest", "PATCH api/fixes/<fix>/plate", "POST api/fixes/<fix>/plates",
        "POST api/fixes/<fix>/plates/choose", "POST api/fixes/<fix>/plates/drop", "POST api/fixes/<fix>/plates/start",
        "POST api/fixes/<fix>/plates/issue", "GET api/fixes/<fix>/plates/<plate>/out",
        "POST api/fixes/<fix>/plates/<plate>/back", "PATCH api/fixes/<fix>/strokes", "POST api/fixes/<fix>/strokes",
        "POST api/fixes/<fix>/propose", "POST api/fixes/<fix>/keep", "POST api/fixes/<fix>/spots",
        "PATCH api/fixes/<fix>/strokes/<stroke>", "GET api/fixes/<fix>/strokes/<stroke>/path", "GET api/fixes/<fix>/donor",
        "GET api/fixes/<fix>/colour", "PATCH api/fixes/<fix>/protect", "PATCH api/fixes/<fix>/fill",
        "PATCH api/fixes/<fix>/soften", "POST api/fixes/<fix>/behind", "POST api/fixes/<fix>/duplicate",
        "GET api/fixes/<fix>/tries", "GET api/fixes/<fix>/tries/<key>",
        "POST api/shots/<shot>/deliver", "POST api/shots/<shot>/take-footage", "POST api/deliveries/<delivery>/stop",
        "POST api/deliveries/<delivery>/go-on", "POST api/deliveries/<delivery>/again", "POST api/deliveries/<delivery>/check",
        "GET api/jobs/<job>/presets", "POST api/jobs/<job>/presets", "DELETE api/presets/<preset>",
        "POST api/shots/<shot>/clear-unneeded", "POST api/shots/<shot>/here",
        "POST api/shots/<shot>/versions", "POST api/versions/<version>/go-back", "POST api/shots/<shot>/send",
        "GET pictures/fixes/<int:fix>/still/<int:frame>.<str:suffix>", "GET pictures/fixes/<int:fix>/tracker/<int:frame>.jpg",
        "GET pictures/fixes/<int:fix>/plate.<str:suffix>", "GET pictures/fixes/<int:fix>/sights/<str:what>/<int:frame>.png",
        "GET pictures/fixes/<int:fix>/tries/<str:key>/<int:frame>.jpg", "GET pictures/fixes/<int:fix>/crops/<int:frame>.jpg",
    ),
    # a supervisor of the job
    RUN: (
        "PATCH api/jobs/<job>", "DELETE api/jobs/<job>", "DELETE api/shots/<shot>", "PUT api/jobs/<job>/members/<person>",
        "GET api/jobs/<job>/people", "GET api/jobs/<job>/log", "GET api/jobs/<job>/edit", "DELETE api/deliveries/<delivery>",
        "PATCH api/deliveries/<delivery>/priority",
    ),
}  # fmt: skip
RIGHTS = {address: right for right, addresses in TABLE.items() for address in addresses}
NEEDS = {
    JUDGE: "Only a reviewer or a supervisor of this job can approve or return.",
    WORK: "You can look at this job and write notes; ask a supervisor to make you an artist in it.",
    RUN: "Only a supervisor of this job can do that.",
    BRING: "Ask a supervisor to make you an artist in a job first.",
    HOUSE: "Only who runs the house can do that.",
}
GONE = "That is not here any more."
# what names a thing of a job in a path, and how its job is found
JOB_OF: dict[str, Callable[[int], int | None]] = {
    "job": lambda number: Job.objects.filter(id=number).values_list("id", flat=True).first(),
    "shot": lambda number: Shot.objects.filter(id=number).values_list("job", flat=True).first(),
    "fix": lambda number: Fix.every.filter(id=number).values_list("shot__job", flat=True).first(),
    "hold": lambda number: Hold.objects.filter(id=number).values_list("fix__shot__job", flat=True).first(),
    "delivery": lambda number: Delivery.objects.filter(id=number).values_list("shot__job", flat=True).first(),
    "preset": lambda number: Preset.objects.filter(id=number).values_list("job", flat=True).first(),
    "version": lambda number: Version.objects.filter(id=number).values_list("shot__job", flat=True).first(),
    "note": lambda number: Note.objects.filter(id=number).values_list("shot__job", flat=True).first(),
}


class AccessMiddleware:
    """Checks every call against the table before anything else is done."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, view: Any, args: Any, kwargs: dict[str, Any]) -> HttpResponse | None:
        """None lets the call through."""
        assert request.resolver_match is not None
        route = request.resolver_match.route
        if route.startswith("^"):
            return None  # the screens' page
        method = "GET" if request.method == "HEAD" and "uploads" not in route else str(request.method)
        try:
            allow(request, f"{method} {route}", kwargs)
        except HushError as error:
            return problem(error)
        return None


def allow(request: HttpRequest, address: str, kwargs: dict[str, Any]) -> None:
    """Raises HushError when whoever asks may not: signed-out, forbidden, or not-found."""
    right = RIGHTS.get(address)
    if right == OPEN:
        return
    person = request.user
    if not person.is_authenticated:
        raise HushError("Sign in first.", "signed-out")
    if right is None:
        raise HushError(GONE, "not-found")
    if right == IN or (right == HOUSE and person.is_staff) or (right == BRING and members.works_anywhere(person)):
        return
    if right in (HOUSE, BRING):
        raise HushError(NEEDS[right], "forbidden")
    _in_job(person, right, kwargs)


def _in_job(person: Any, right: str, kwargs: dict[str, Any]) -> None:
    """Every thing that the path names must be of a job in which the person has the right."""
    named = [(name, value) for name, value in kwargs.items() if name in JOB_OF]
    if not named:
        raise HushError(GONE, "not-found")
    if person.is_staff:  # a supervisor in all jobs; what is not there is said by whoever looks for it
        return
    for name, value in named:
        job = _job_of(name, _number(value))
        role = members.role_in(person, job) if job is not None else None
        if role is None:
            raise HushError(GONE, "not-found")
        if role not in members.MAY[right]:
            raise HushError(NEEDS[right], "forbidden")


@lru_cache(maxsize=4096)
def _known(name: str, number: int) -> int:
    job = JOB_OF[name](number)
    if job is None:
        raise LookupError  # is not remembered: it may come to be
    return job


def _job_of(name: str, number: int) -> int | None:
    """The job of a thing; a thing never changes its job."""
    try:
        return _known(name, number) if 0 <= number < 2**63 else None
    except LookupError:
        return None


def _number(value: Any) -> int:
    try:
        return int(value)
    except (TypeError, ValueError) as error:
        raise HushError(GONE, "not-found") from error
