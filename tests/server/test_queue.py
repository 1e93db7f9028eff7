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
