"""The jobs under way, and those that are done and waiting for an answer. What they are is kept; what they made is not."""

import threading
from collections import Counter, OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Literal
from uuid import UUID, uuid4

from sqlalchemy.exc import SQLAlchemyError

from ashblend.core.progress import Progress
from ashblend.store.database import Sessions
from ashblend.store.jobs import create_job, end_lost_results, note_job

State = Literal["waiting", "running", "done", "failed", "cancelled"]
# What ended jobs made may be whole meshes: few are kept.
KEPT = 4
AT_ONCE = 2
NOTED_EVERY = 0.1


class Cancelled(Exception):
    """The work is no longer wanted."""


@dataclass
class Job:
    """One piece of work. owner: the surface it is about. progress: 0..1. result: once it is done. urgent: it goes before
    others that wait.
    """

    owner: UUID
    title: str
    id: UUID
    state: State = "waiting"
    progress: float = 0.0
    problem: str = ""
    result: Any = None
    noted: float = 0.0
    urgent: bool = False
    unwanted: threading.Event = field(default_factory=threading.Event)


Work = Callable[[Progress], Any]
Tell = Callable[[Job], None]


class Board:
    """Runs jobs on a few threads. News of each is told from those threads."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions
        self._jobs: OrderedDict[UUID, Job] = OrderedDict()
        self._queue: list[tuple[Job, Work, Tell]] = []
        self._lock = threading.Lock()
        self._workers = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="job")
        self._closing = False
        with sessions.begin() as session:
            end_lost_results(session)

    def start(
        self,
        owner: UUID,
        title: str,
        wish: dict[str, Any],
        shape: int,
        work: Work,
        tell: Tell,
        data: bytes | None = None,
        ident: UUID | None = None,
    ) -> Job:
        """Keep what is wanted, and begin.

        `work` is given a progress call that raises Cancelled once the job is unwanted. A ValueError of
        the work is a problem for the artist, in its own words. ident: what to call it, where the asker must know before.
        Waits for the database: never on a loop.
        """
        job = Job(owner, title, ident or uuid4())
        # Known before it is kept, or somebody who looks for lost work would take it up once more.
        with self._lock:
            self._jobs[job.id] = job
        try:
            with self._sessions.begin() as session:
                create_job(session, owner, title, wish, shape, data, job.id)
        except BaseException:
            with self._lock:
                del self._jobs[job.id]
            raise
        return self._submit(job, work, tell)

    def take_up(self, owner: UUID, title: str, ident: UUID, work: Work, tell: Tell) -> Job:
        """Begin anew what was under way when the server ended."""
        return self._submit(Job(owner, title, ident), work, tell)

    def end(self, ident: UUID, problem: str) -> None:
        """Note that work which was under way cannot be taken up."""
        with self._sessions.begin() as session:
            note_job(session, ident, "ended", 0.0, problem)

    def _submit(self, job: Job, work: Work, tell: Tell) -> Job:
        with self._lock:
            self._jobs[job.id] = job
            ended = [j for j in self._jobs.values() if j.state not in ("waiting", "running")]
            for old in ended[: max(0, len(self._jobs) - KEPT)]:
                del self._jobs[old.id]
            self._queue.append((job, work, tell))
            waits = len(self._queue) > 1 or sum(j.state == "running" for j in self._jobs.values()) >= AT_ONCE
        if waits:
            tell(job)
        self._workers.submit(self._next)
        return job

    def _next(self) -> None:
        """Work out what is due: first what somebody has asked to be, then of owners for whom least is under way, in order."""
        with self._lock:
            busy = Counter(job.owner for job in self._jobs.values() if job.state == "running")
            order = sorted(self._queue, key=lambda entry: (not entry[0].urgent, busy[entry[0].owner]))
            if not order:
                return
            self._queue.remove(order[0])
            order[0][0].state = "running"
        self._run(*order[0])

    def hurry(self, ident: UUID) -> None:
        """Have a job that waits be the next."""
        with self._lock:
            for entry in self._queue:
                if entry[0].id == ident:
                    entry[0].urgent = True

    def _note(self, job: Job) -> None:
        if self._closing:
            # It stays as it is, to be taken up.
            return
        try:
            with self._sessions.begin() as session:
                state = "ended" if job.state == "cancelled" else job.state
                note_job(session, job.id, state, job.progress, job.problem)
        except SQLAlchemyError:
            # The work goes on without; the surface may be deleted, or the database gone for a moment.
            return
        job.noted = job.progress

    def _run(self, job: Job, work: Work, tell: Tell) -> None:
        def progress(share: float) -> None:
            if job.unwanted.is_set():
                raise Cancelled
            if share - job.progress >= 0.01:
                job.progress = min(share, 1.0)
                if job.progress - job.noted >= NOTED_EVERY:
                    self._note(job)
                tell(job)

        self._note(job)
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
        self._note(job)
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
            waits = [entry for entry in self._queue if entry[0].id == ident]
            for entry in waits:
                self._queue.remove(entry)
        if job is None:
            return
        job.unwanted.set()
        for _, __, tell in waits:
            job.state = "cancelled"
            self._note(job)
            tell(job)
        if job.state == "done":
            self.end(ident, "")

    def close(self) -> None:
        self._closing = True
        with self._lock:
            for job in self._jobs.values():
                job.unwanted.set()
        self._workers.shutdown(wait=False, cancel_futures=True)
