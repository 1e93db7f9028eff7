"""Whether the house is well, for whoever watches over it: one short answer, and figures in plain text."""

import hmac
from importlib import metadata
from typing import Any

from deliveries import queued
from deliveries.models import DeliveredFrame
from django.conf import settings
from django.db import DatabaseError, connection
from django.db.models import Count, Min
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from jobs import disks
from jobs.shelf import COMMON
from procrastinate.contrib.django.models import ProcrastinateJob

from api.deliveries import LATELY
from hushcore.errors import HushError

LATE = 600.0  # seconds that work may wait before the queue counts as stuck


def health(request: HttpRequest) -> HttpResponse:
    """200 and ``ok`` when all is well, 503 and what is not otherwise. Names no place and no person."""
    found: dict[str, Any] = {
        "version": metadata.version("hush-patch"),
        "database": "ok",
        "queue": "ok",
        "storage": "ok",
    }
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
        found["workers"] = queued.workers()
        if not found["workers"]:
            found["queue"] = "no worker is running"
        elif (waited := oldest()) > LATE:
            found["queue"] = f"work has waited for {waited:.0f} s"
    except DatabaseError:
        found["database"] = found["queue"] = "cannot be reached"
    low = [disk for disk in disks.disks() if disk.state != "ok"]
    if low:
        found["storage"] = ", ".join(f"{disk.name}: {disk.state}" for disk in low)
    bad = found["database"] != "ok" or found["queue"] != "ok" or any(disk.state == "full" for disk in low)
    found["status"] = "bad" if bad else "ok"
    return JsonResponse(found, status=503 if bad else 200, headers={"Cache-Control": "no-store"})


def oldest() -> float:
    """Seconds that the oldest work has waited that could be done now."""
    waiting = ProcrastinateJob.objects.filter(status="todo", priority__gte=0, scheduled_at=None)
    first = waiting.filter(procrastinateevent__type="deferred").aggregate(at=Min("procrastinateevent__at"))["at"]
    return (timezone.now() - first).total_seconds() if first else 0.0


def metrics(request: HttpRequest) -> HttpResponse:
    """Figures in the plain text that monitors read (OpenMetrics), for a bearer token or whoever runs the house."""
    if not _may(request):
        raise HushError("Ask with the token of HUSH_METRICS_TOKEN, or as who runs the house.", "forbidden")
    lines = []
    for name, kind, words, rows in _figures():
        lines += [f"# HELP hush_{name} {words}", f"# TYPE hush_{name} {kind}"]
        lines += [f"hush_{name}{labels} {value}" for labels, value in rows]
    return HttpResponse("\n".join([*lines, "# EOF", ""]), content_type="text/plain; version=0.0.4")


def _may(request: HttpRequest) -> bool:
    token = settings.METRICS_TOKEN
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    return bool(token and hmac.compare_digest(given, token)) or (
        request.user.is_authenticated and request.user.is_staff
    )


def _figures() -> list[tuple[str, str, str, list[tuple[str, float]]]]:
    jobs = ProcrastinateJob.objects.filter(status__in=("todo", "doing"))
    counts = jobs.values("queue_name", "status").annotate(count=Count("id")).order_by("queue_name", "status")
    rows = [(f'{{queue="{row["queue_name"]}",state="{row["status"]}"}}', row["count"]) for row in counts]
    lately = DeliveredFrame.objects.filter(made__gte=timezone.now() - LATELY).count()
    found = disks.disks()
    return [
        ("queue_jobs", "gauge", "Work in the queue.", rows),
        ("queue_oldest_seconds", "gauge", "How long the oldest work has waited.", [("", round(oldest(), 1))]),
        ("workers", "gauge", "Workers heard of lately.", [("", queued.workers())]),
        ("delivered_frames", "gauge", "Frames of the deliveries that are kept.", [("", DeliveredFrame.objects.count())]),
        ("delivered_frames_per_second", "gauge", "Over the last minute.", [("", lately / LATELY.total_seconds())]),
        ("cache_bytes", "gauge", "What this server process keeps in memory.", [("", COMMON.held)]),
        ("cache_limit_bytes", "gauge", "What it may keep.", [("", COMMON.most)]),
        ("disk_free_bytes", "gauge", "Free on each disk.", [(f'{{disk="{disk.name}"}}', disk.free) for disk in found]),
        ("disk_bytes", "gauge", "Size of each disk.", [(f'{{disk="{disk.name}"}}', disk.total) for disk in found]),
    ]  # fmt: skip
