"""The jobs under way, and those that are done and waiting for an answer."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Literal
from uuid import UUID, uuid4

from ashblend.core.prepare.progress import Progress

State = Literal["waiting", "running", "done", "failed", "cancelled"]
# What ended jobs made may be whole meshes: few are kept.
KEPT = 4
AT_ONCE = 2


class Cancelled(Exception):
    """The work is no longer wanted."""


@dataclass
class Job:
    """One piece of work. owner: what it is about. progress: 0..1. result: once it is done."""

    owner: UUID
    title: str
    id: UUID = field(default_factory=uuid4)
    state: State = "waiting"
    progress: float = 0.0
    problem: str = ""
    result: Any = None
    unwanted: threading.Event = field(default_factory=threading.Event)


class Board:
    """Runs jobs on a few threads. News of each is told from those threads."""

    def __init__(self) -> None:
        self._jobs: OrderedDict[UUID, Job] = OrderedDict()
        self._lock = threading.Lock()
        self._workers = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="job")

    def start(
        self, owner: UUID, title: str, work: Callable[[Progress], Any], tell: Callable[[Job], None]
    ) -> Job:
        """Begin; `work` is given a progress call that raises Cancelled once the job is unwanted.

        A ValueError of the work is a problem for the artist, in its own words.
        """
        job = Job(owner, title)
        with self._lock:
            self._jobs[job.id] = job
            ended = [j for j in self._jobs.values() if j.state not in ("waiting", "running")]
            for old in ended[: max(0, len(self._jobs) - KEPT)]:
                del self._jobs[old.id]
        self._workers.submit(self._run, job, work, tell)
        return job

    def _run(self, job: Job, work: Callable[[Progress], Any], tell: Callable[[Job], None]) -> None:
        def progress(share: float) -> None:
            if job.unwanted.is_set():
                raise Cancelled
            if share - job.progress >= 0.01:
                job.progress = min(share, 1.0)
                tell(job)

        job.state = "running"
        tell(job)
        try:
            progress(0.0)
            job.result = work(progress)
            progress(job.progress)
            job.progress, job.state = 1.0, "done"
        except Cancelled:
            job.result, job.state = None, "cancelled"
        except ValueError as error:
            job.problem, job.state = str(error), "failed"
        except Exception as error:
            job.problem = f"The work broke off ({type(error).__name__}: {error})."
            job.state = "failed"
        tell(job)

    def find(self, ident: UUID) -> Job | None:
        with self._lock:
            return self._jobs.get(ident)

    def drop(self, ident: UUID) -> None:
        """Stop a job where it can be stopped, and forget what it made."""
        with self._lock:
            job = self._jobs.get(ident)
            if job is not None and job.state not in ("waiting", "running"):
                del self._jobs[ident]
        if job is not None:
            job.unwanted.set()

    def close(self) -> None:
        with self._lock:
            for job in self._jobs.values():
                job.unwanted.set()
        self._workers.shutdown(wait=False, cancel_futures=True)
