"""Jobs of workers that died are taken up again."""

import logging
from collections.abc import Awaitable, Callable

from django.conf import settings
from procrastinate.contrib.django import app
from procrastinate.exceptions import UniqueViolation
from procrastinate.jobs import Job, Status

log = logging.getLogger("hush")


@app.periodic(cron="* * * * * */3")
@app.task(queue="default", queueing_lock="take-up", pass_context=True, name="take_up_stalled")
async def take_up_stalled(context: object, timestamp: int) -> None:
    """Put the jobs of workers that died back in the queue."""
    manager = app.job_manager

    async def drop(job: Job) -> None:
        await manager.finish_job(job, Status.FAILED, delete_job=False)

    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=settings.STALLED_AFTER):
        await take_up(job, manager.retry_job, drop)


async def take_up(job: Job, again: Callable[[Job], Awaitable[None]], drop: Callable[[Job], Awaitable[None]]) -> None:
    """Queue ``job`` anew, or drop it where a twin with the same queueing lock already waits: that one does its work."""
    try:
        await again(job)
    except UniqueViolation:
        await drop(job)
        log.info("job %s (%s) lost its worker; the same work waits already", job.id, job.task_name)
        return
    log.info("job %s (%s) lost its worker; it is taken up again", job.id, job.task_name)
