"""Live updates: PostgreSQL notifications fanned out to the open screens as server-sent events."""

import asyncio
import json
import time
from collections.abc import AsyncIterator
from typing import Any

import psycopg
from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.utils import timezone
from events.tell import CHANNEL
from jobs import members
from jobs.models import Shot

PING = 10.0  # seconds
ROLES_MAY_CHANGE = ("members", "jobs")
LAGGING = 2000  # events a screen may fall behind before it is let go; it reconnects and reads afresh


class Fan:
    """One listening connection a process, any number of screens."""

    def __init__(self) -> None:
        self.queues: set[asyncio.Queue[str]] = set()
        self.task: asyncio.Task[None] | None = None

    def join(self) -> asyncio.Queue[str]:
        """A queue of events from now on."""
        queue: asyncio.Queue[str] = asyncio.Queue(LAGGING)
        self.queues.add(queue)
        if self.task is None or self.task.done():
            self.task = asyncio.create_task(self._listen())
        return queue

    async def _listen(self) -> None:
        db = settings.DATABASES["default"]
        while self.queues:
            try:
                link = await psycopg.AsyncConnection.connect(
                    host=db["HOST"],
                    port=db["PORT"],
                    dbname=db["NAME"],
                    user=db["USER"],
                    password=db["PASSWORD"] or None,
                    autocommit=True,
                )
            except psycopg.OperationalError:
                await asyncio.sleep(1)
                continue
            try:
                async with link:
                    await link.execute(f"LISTEN {CHANNEL}")
                    self._spread(json.dumps({"kind": "again"}))
                    async for note in link.notifies():
                        self._spread(note.payload)
            except psycopg.OperationalError:
                await asyncio.sleep(1)

    def _spread(self, payload: str) -> None:
        for queue in list(self.queues):
            try:
                queue.put_nowait(payload)
            except asyncio.QueueFull:
                self.queues.discard(queue)


fan = Fan()


async def stream(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Events until the screen closes; a comment every ``PING`` seconds keeps the line open."""
    user = await request.auser()
    if not user.is_authenticated:
        return HttpResponse(status=401)
    return StreamingHttpResponse(
        _events(Mine(user, request.session.session_key)),
        content_type="text/event-stream",
        headers={"Cache-Control": "no-cache", "X-Accel-Buffering": "no"},
    )


class Mine:
    """The jobs that one may look at, and the shots known to be in them or not: what of all events is one's own."""

    def __init__(self, person: Any, session: str | None) -> None:
        self.person, self.session = person, session
        self.jobs: set[int] | None = None
        self.shots: dict[int, int | None] = {}

    async def has(self, payload: str) -> bool:
        """Whether an event is of one of one's jobs, or of one that one was in until now; what is of no job is for everybody."""
        facts = json.loads(payload)
        job, shot = facts.get("job"), facts.get("shot")
        if job is None and shot is None:
            return True
        before = self.jobs or set()
        if self.jobs is None or facts["kind"] in ROLES_MAY_CHANGE:
            self.jobs = await sync_to_async(self._jobs)()
        if job is None:
            if shot not in self.shots:
                self.shots[shot] = await Shot.objects.filter(id=shot).values_list("job", flat=True).afirst()
            job = self.shots[shot]
        return job in self.jobs or job in before

    def _jobs(self) -> set[int]:
        return set(members.jobs_of(self.person).values_list("id", flat=True))

    async def signed_in(self) -> bool:
        """Whether the session that asked is still one, and its person may still sign in."""
        kept = await Session.objects.filter(session_key=self.session, expire_date__gt=timezone.now()).aexists()
        person = await User.objects.filter(id=self.person.id, is_active=True).afirst()
        self.person = person or self.person
        return kept and person is not None


async def _events(mine: Mine) -> AsyncIterator[bytes]:
    queue, looked = fan.join(), time.monotonic()
    try:
        yield b"retry: 1000\n\n"
        while queue in fan.queues:
            if time.monotonic() - looked > PING:  # a session that was ended hears no more
                if not await mine.signed_in():
                    return
                looked = time.monotonic()
            try:
                payload = await asyncio.wait_for(queue.get(), PING)
            except TimeoutError:
                yield b": still here\n\n"
                continue
            if await mine.has(payload):
                yield f"data: {payload}\n\n".encode()
    finally:
        fan.queues.discard(queue)
