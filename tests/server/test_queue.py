"""The queue: what a worker that died leaves behind."""

import pytest
from django.db import connection
from procrastinate.contrib.django import app

pytestmark = pytest.mark.django_db(transaction=True)


def test_work_of_a_dead_worker_is_taken_up_or_left_to_its_twin(work):
    """A twin that waits under the same queueing lock must not keep the other stalled jobs from being taken up."""
    settle = app.configure_task("settle", queueing_lock="twin")
    dead = settle.defer(hold=0)
    other = app.configure_task("settle").defer(hold=0)
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET status = 'doing' WHERE id = ANY(%s)", [[dead, other]])
    twin = app.configure_task("settle", queueing_lock="twin", schedule_in={"hours": 1}).defer(hold=0)
    app.configure_task("take_up_stalled").defer(timestamp=0)
    work()
    with connection.cursor() as cursor:
        cursor.execute("SELECT id, status::text FROM procrastinate_jobs WHERE id = ANY(%s)", [[dead, other, twin]])
        assert dict(cursor.fetchall()) == {dead: "failed", other: "succeeded", twin: "todo"}


def test_the_queue_in_words(whole, shot):
    """Work of one kind for one thing is one row; a fix's work names its shot and itself; what is done first comes first."""
    from deliveries import queued
    from django.utils import timezone

    app.configure_task("tells", priority=1).defer(fix=whole.fix["id"])
    first, _ = (app.configure_task("proxies", priority=5).defer(shot=shot.id, first=k, last=k) for k in (1001, 1002))
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET status = 'doing' WHERE id = %s", [first])
        begun = timezone.now() - timezone.timedelta(seconds=90)
        cursor.execute("UPDATE procrastinate_events SET at = %s WHERE job_id = %s AND type = 'started'", [begun, first])
    proxies, tells = [row for row in queued.rows() if row.task in ("proxies", "tells")]
    assert (proxies.task, proxies.running, proxies.waiting, proxies.name) == ("proxies", 1, 1, shot.name)
    assert 90 <= proxies.since < 150
    assert (tells.shot, tells.running, tells.waiting, tells.since) == (
        shot.id,
        0,
        2,
        0.0,
    )  # with what the fix asked for itself
    assert tells.name == f"{shot.name} · {whole.fix['name']}"
