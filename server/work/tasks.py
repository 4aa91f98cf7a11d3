"""What the queue carries: the number of a piece of work, and what the clock asks for."""

from __future__ import annotations

import logging

from procrastinate import JobContext
from procrastinate.contrib.django import app

from . import doing, kinds

logger = logging.getLogger("kestov.work")

GONE_S = int(doing.GONE.total_seconds())


@app.task(name="do", pass_context=True)
def do(context: JobContext, work: int) -> None:
    """Do a piece of work."""
    doing.run(work, context.should_abort)


@app.periodic(cron="* * * * * */15")
@app.task(name="look_after", queueing_lock="look_after", pass_context=True)
async def look_after(context: JobContext, timestamp: int) -> None:
    """Give what a worker that is gone was at to another."""
    await take_up()


async def take_up() -> int:
    """Put back into the queue what workers that are gone were at; how many that was."""
    stalled = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=GONE_S))
    for job in stalled:
        logger.warning("A worker is gone; what it was at is taken up again: %s", job.call_string)
        await app.job_manager.retry_job(job)
    return len(stalled)


@app.periodic(cron="7 * * * *")
@app.task(name="sweep", queueing_lock="sweep")
def sweep(timestamp: int) -> None:
    """Remove what nobody needs any more."""
    for each in kinds.sweeps():
        each()
